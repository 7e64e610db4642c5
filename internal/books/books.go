// Package books is a bookkeeper of grafts from tying to delivery, written from the meaning of the entries alone: it
// imports nothing of the product, so that a season played through the forms can be held against it.
package books

import (
	"fmt"
	"maps"
	"slices"
)

// Count is one count of a tag: of those that stood, how many were alive, doubtful and dead by cause.
type Count struct {
	Alive, Doubtful, Missed int
	Dead                    map[string]int
}

func (c Count) dead() (n int) {
	for _, x := range c.Dead {
		n += x
	}
	return n
}

// Entry is something that happened to a tag between its counts.
type Entry struct {
	Kind   string // lost, below, sold, returned
	Tag    string
	N      int
	Cause  string // of a loss
	Order  string // that the trees went to, or came back from; "" for none
	After  string // the count that stood then
	Undone bool
}

// Tag is a tag's page of the books.
type Tag struct {
	Code, Order string
	Tied        int
	Counts      map[string]Count // by name
}

// Books are the pages of many tags. Make them with New.
type Books struct {
	Names   []string // of counts, in the order of the year
	Tags    map[string]*Tag
	Entries []*Entry
}

// New opens books for counts of these names, in the order of the year.
func New(names ...string) *Books { return &Books{Names: names, Tags: map[string]*Tag{}} }

// Tie opens a tag's page.
func (b *Books) Tie(code, order string, tied int) {
	b.Tags[code] = &Tag{Code: code, Order: order, Tied: tied, Counts: map[string]Count{}}
}

// Codes are the tags' codes, in order.
func (b *Books) Codes() []string { return slices.Sorted(maps.Keys(b.Tags)) }

// Last is the last count made of a tag; "" where there is none.
func (b *Books) Last(code string) (last string) {
	for _, n := range b.Names {
		if _, made := b.Tags[code].Counts[n]; made {
			last = n
		}
	}
	return last
}

// Stood is how many of a tag's grafts stand before a count: those tied, less what earlier counts found dead and what
// went before it.
func (b *Books) Stood(code, count string) int {
	t, rank := b.Tags[code], slices.Index(b.Names, count)
	n := t.Tied
	for i, name := range b.Names {
		if c, made := t.Counts[name]; made && i < rank {
			n -= c.dead()
		}
	}
	for _, e := range b.Entries {
		if e.Tag == code && !e.Undone && slices.Index(b.Names, e.After) < rank {
			n -= e.takes()
		}
	}
	return n
}

// takes is how many trees an entry takes from what stands.
func (e *Entry) takes() int {
	if e.Kind == "returned" {
		return -e.N
	}
	return e.N
}

// Standing is how many of a tag's trees stand now.
func (b *Books) Standing(code string) int {
	t := b.Tags[code]
	n := t.Tied
	for _, c := range t.Counts {
		n -= c.dead()
	}
	for _, e := range b.Entries {
		if e.Tag == code && !e.Undone {
			n -= e.takes()
		}
	}
	return n
}

// Sent is how many trees of a tag went to an order ("" for none) and did not come back.
func (b *Books) Sent(code, order string) (n int) {
	for _, e := range b.Entries {
		if e.Tag != code || e.Undone || e.Order != order {
			continue
		}
		switch e.Kind {
		case "sold":
			n += e.N
		case "returned":
			n -= e.N
		}
	}
	return n
}

// Balance is where an order's grafts are.
type Balance struct {
	Tied, Alive, Doubtful, Healing, Lost, Below, Delivered, Elsewhere int
	Causes                                                            map[string]int
}

// Closes reports whether every graft is somewhere.
func (x Balance) Closes() error {
	if sum := x.Alive + x.Doubtful + x.Healing + x.Lost + x.Below + x.Delivered + x.Elsewhere; sum != x.Tied {
		return fmt.Errorf("%d tied, but %d accounted for: %+v", x.Tied, sum, x)
	}
	return nil
}

// Balance adds up an order. What was lost or went since a tag's last count is taken from its alive, then from its
// doubtful, then from what nobody counted.
func (b *Books) Balance(order string) Balance {
	x := Balance{Causes: map[string]int{}}
	for code, t := range b.Tags {
		if t.Order != order {
			continue
		}
		x.Tied += t.Tied
		since, last := 0, b.Last(code)
		for _, c := range t.Counts {
			x.Lost += c.dead()
			for cause, n := range c.Dead {
				x.Causes[cause] += n
			}
		}
		for _, e := range b.Entries {
			if e.Tag != code || e.Undone {
				continue
			}
			if e.After == last {
				since += e.takes()
			}
			switch {
			case e.Kind == "lost":
				x.Lost += e.N
				x.Causes[e.Cause] += e.N
			case e.Kind == "below":
				x.Below += e.N
			case e.Order == order:
				x.Delivered += e.takes()
			default:
				x.Elsewhere += e.takes()
			}
		}
		standing, c := b.Standing(code), t.Counts[last]
		if last == "" {
			x.Healing += standing
			continue
		}
		alive := min(standing, max(0, c.Alive-since))
		doubtful := max(0, c.Doubtful+min(0, c.Alive-since))
		x.Alive, x.Doubtful, x.Healing = x.Alive+alive, x.Doubtful+min(doubtful, standing-alive), x.Healing+standing-alive-
			min(doubtful, standing-alive)
	}
	return x
}

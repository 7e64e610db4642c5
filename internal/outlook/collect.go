package outlook

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"unionknot/internal/core/own"
	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/wood"
	"unionknot/internal/core/working"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// House defaults of a collection.
const (
	SparePct = 10 // grafts more than are needed
	WastePct = 10 // pieces thrown out at the bench
	// sticksAPlant is how many sticks are taken of one mother plant before the
	// next is gone to.
	sticksAPlant = 30
)

// guessStick is a stick where nothing was ever cut of a variety.
var guessStick = wood.Stick{LengthMM: 500, BaseMM: 8.5, TipMM: 5.5, InternodeMM: 24, BlindShare: 0.05}

// CollectAsked is what can be changed of a collection.
type CollectAsked struct {
	Spare, Waste float64 // in a hundred
	Buds         int     // a piece; 0: as the variety was cut last
}

// CollectLine is one mother plant to cut from.
type CollectLine struct {
	Measured string // which of Measured its stick is
	Plant    store.Plant
	Sticks   int
	Bundle   string // the code printed for what is cut; "" where no label was printed
	Stick    wood.Stick
	Buds     int
	Guess    bool // the stick is a house default, nothing was cut of it before
	LookFor  string
	Orders   []string
	Need     int // pieces that all open orders for the variety lack
	Working  working.Working
	Warnings []string
	Gives    wood.Gives
	Spent    bool // nothing more is needed of it; a label was printed before
}

// ErrCollect says that a collection was asked for with what cannot be.
var ErrCollect = errors.New("spare is 0 to 300 in a hundred, waste 0 to 90, and a piece has 1 to 6 buds")

// Collection is the sheet of wood to cut for the open orders.
type Collection struct {
	Lines   []CollectLine // by place, in walking order
	Without []string      // varieties wanted without a mother plant
	Asked   CollectAsked
	State   map[string]string // of each genus' wood that can be cut now, "" for none
	Usable  string
	Sealed  string
	Tips    string            // what to take along to seal them
	Short   []CollectShort    // what no mother plant has left to give
	Labels  []store.WoodLabel // printed, and their wood not keyed in
}

// Label gives lines the codes that were printed for their plants, and notes which
// labels wait.
func (c *Collection) Label(ls []store.WoodLabel) {
	c.Labels = ls
	for i := range c.Lines {
		for _, l := range ls {
			if l.PlantID == c.Lines[i].Plant.ID {
				c.Lines[i].Bundle = l.Code
			}
		}
	}
}

// AddSpent adds a line for each label whose plant needs nothing cut any more: its
// wood may have been cut all the same.
func (c *Collection) AddSpent(f *snapshot.Snapshot) {
	for _, l := range c.Labels {
		if slices.ContainsFunc(c.Lines, func(x CollectLine) bool { return x.Bundle == l.Code }) {
			continue
		}
		x := CollectLine{Bundle: l.Code, Sticks: l.Sticks, Spent: true,
			Plant: store.Plant{ID: l.PlantID, Code: l.Plant, Variety: l.Variety, Genus: l.Genus, Place: l.Place}}
		stickOf(f, &x, l.Buds)
		if _, ok := c.State[l.Genus]; !ok {
			c.State[l.Genus] = f.Year(f.Genus(l.Genus).SeasonGroup).CutOn(f.Today).State
		}
		c.Lines = append(c.Lines, x)
	}
}

// Collect works out what to cut for open orders. ErrCollect: what was asked
// cannot be.
func Collect(f *snapshot.Snapshot, orders []OrderLine, asked CollectAsked) (Collection, error) {
	if asked.Spare < 0 || asked.Spare > 300 || asked.Waste < 0 || asked.Waste > 90 || asked.Buds < 0 || asked.Buds > 6 {
		return Collection{}, ErrCollect
	}
	c := Collection{Asked: asked, State: map[string]string{}, Usable: f.Way(WayUsable).Chosen, Sealed: f.Way(waySeal).Chosen}
	wants, cuts := map[int64]*wanting{}, map[string]season.WoodCut{}
	var order []int64
	for _, o := range orders {
		if o.ToGo == 0 || o.Need.Summer && o.Need.Standing.Verdict == technique.Shut {
			continue // green wood is cut within hours of its use
		}
		w := wants[o.Order.VarietyID]
		if w == nil {
			w = &wanting{id: o.Order.VarietyID, variety: o.Order.Variety, genus: o.Order.Genus, free: o.Weavable.Pieces,
				chips: true}
			wants[w.id] = w
			order = append(order, w.id)
		}
		w.chips = w.chips && own.Base(o.Need.By.Technique.Key) == "chip-bud"
		w.free = max(w.free, o.Weavable.Pieces)
		pieces := o.ToGo * o.Need.By.Technique.Pieces()
		w.need += pieces
		w.orders = append(w.orders, o.Order.Code)
		w.parts = append(w.parts, fmt.Sprintf("%s: %d", o.Order.Code, pieces))
	}
	for _, id := range order {
		w := wants[id]
		lack := w.need - w.free
		if lack <= 0 {
			continue
		}
		cut, ok := cuts[w.genus]
		if !ok {
			cut = f.Year(f.Genus(w.genus).SeasonGroup).CutOn(f.Today)
			cuts[w.genus], c.State[w.genus] = cut, cut.State
		}
		var plants []store.Plant
		for _, p := range f.Plants {
			if p.VarietyID == id {
				plants = append(plants, p)
			}
		}
		if len(plants) == 0 {
			c.Without = append(c.Without, w.variety)
			continue
		}
		// Wood is cut from plants seen true, where there is one.
		if slices.ContainsFunc(plants, func(p store.Plant) bool { return p.SeenTrueOn != nil }) {
			plants = slices.DeleteFunc(plants, func(p store.Plant) bool { return p.SeenTrueOn == nil })
		}
		if err := c.fromPlants(f, w, plants, lack, cut); err != nil {
			return c, err
		}
	}
	all := 0
	for _, l := range c.Lines {
		all += l.Sticks
	}
	c.Tips = words.TipsAlong(f.Answers(), all)
	slices.SortStableFunc(c.Lines, func(a, b CollectLine) int {
		return cmp.Or(Natural(a.Plant.Place, b.Plant.Place), Natural(a.Plant.Code, b.Plant.Code))
	})
	return c, nil
}

// fromPlants shares what a variety lacks among its mother plants: as many as the
// sticks are worth walking to, the first by code, none beyond what it has left to
// give.
func (c *Collection) fromPlants(f *snapshot.Snapshot, w *wanting, plants []store.Plant, lack int, cut season.WoodCut) error {
	g := f.Genus(w.genus)
	lines, yields, left := make([]CollectLine, len(plants)), make([]wood.Yield, len(plants)), make([]int, len(plants))
	for i, p := range plants {
		l := CollectLine{Plant: p, LookFor: lookFor(f, g, cut.State, w.chips), Orders: w.orders, Need: lack}
		stickOf(f, &l, c.Asked.Buds)
		var err error
		if yields[i], err = l.Stick.Of(); err != nil {
			return fmt.Errorf("plant %s: %w", p.Code, err)
		}
		l.Gives = GivesOf(p, f.Today)
		lines[i], left[i] = l, max(0, l.Gives.Sticks-p.CutSticks)
	}
	sticks := func(pieces, i int) int {
		return wood.SticksToCut(pieces, c.Asked.Spare/100, c.Asked.Waste/100, yields[i].Pieces)
	}
	all := sticks(lack, 0)
	if all < 0 { // its sticks give no piece: say so, and ask for none
		lines[0].Warnings = append(lines[0].Warnings, words.NoPieceOfStick)
		c.Lines = append(c.Lines, lines[0])
		return nil
	}
	shares, over := wood.Share(all, (all+sticksAPlant-1)/sticksAPlant, left)
	for i, l := range lines {
		if shares[i] == 0 {
			continue
		}
		l.Sticks = shares[i]
		if l.Plant.SeenTrueOn == nil {
			l.Warnings = append(l.Warnings, words.NotSeenTrue)
		}
		if l.Plant.Licence != "" {
			l.Warnings = append(l.Warnings, words.Protected(l.Plant.Licence))
		}
		if cut.State == "" {
			l.Warnings = append(l.Warnings, words.Capital(words.Wood(cut.Not))+".")
		}
		l.Working = collectWorking(l, yields[i], w, lack*shares[i]/all, len(plants), c.Asked, c.Usable)
		c.Lines = append(c.Lines, l)
	}
	if over > 0 {
		s := CollectShort{Variety: w.variety, Sticks: over, Pieces: over * yields[0].Pieces, Plants: len(plants), Buds: lines[0].Buds}
		c.Short = append(c.Short, s)
	}
	return nil
}

// CollectShort is what the mother plants of a variety cannot give.
type CollectShort struct {
	Variety        string
	Sticks, Pieces int
	Plants, Buds   int // how many there are, and buds a piece
}

// GivesOf is what a mother plant gives in a season.
func GivesOf(p store.Plant, today time.Time) wood.Gives {
	entered, years := -1, -1
	if p.Gives != nil {
		entered = *p.Gives
	}
	if p.PlantedYear != nil {
		years = max(0, today.Year()-*p.PlantedYear)
	}
	return wood.PlantGives(entered, years, p.MostSticks)
}

// wanting is what the open orders want of a variety.
type wanting struct {
	id            int64
	variety       string
	genus         string
	need, free    int
	orders, parts []string
	chips         bool // all of it is for chips
}

// lookFor says what to look for of a genus' wood, by its state and what it is for.
func lookFor(f *snapshot.Snapshot, g store.Genus, state string, chips bool) string {
	says := g.CutNote
	if state == season.RipeGreen {
		says = strings.TrimSpace(words.LookForGreen + " " + says)
	}
	if chips && f.Answers().OldChips() {
		says = strings.TrimSpace(words.LookForChips + " " + says)
	}
	return says
}

func collectWorking(
	l CollectLine,
	y wood.Yield,
	w *wanting,
	share, plants int,
	asked CollectAsked,
	usable string,
) working.Working {
	from := fmt.Sprintf(
		words.NMmLongNTo,
		l.Stick.LengthMM,
		l.Stick.BaseMM,
		l.Stick.TipMM,
		l.Stick.InternodeMM,
	)
	source := working.OwnRecords
	if l.Guess {
		source = working.HouseDefault
	}
	// A stick more or less of yield is the range that a bundle's sticks have.
	few, many := wood.SticksToCut(
		share,
		asked.Spare/100,
		asked.Waste/100,
		y.Pieces+1,
	), wood.SticksToCut(
		share,
		asked.Spare/100,
		asked.Waste/100,
		max(1, y.Pieces-1),
	)
	return working.Working{
		Title:  words.SticksToCutFrom + l.Plant.Code,
		Rule:   "wood yield",
		Answer: fmt.Sprintf("%d sticks", l.Sticks),
		Range:  fmt.Sprintf(words.ShouldAStickGive, few, many),
		Says:   words.WhatTheOpenOrdersLack,
		Inputs: []working.Input{
			{Name: words.PiecesToGo, Value: fmt.Sprintf("%d (%s)", w.need, strings.Join(w.parts, ", ")), Source: working.OwnRecords},
			{Name: words.PiecesAtHand, Value: strconv.Itoa(w.free), Source: working.OwnRecords},
			{
				Name:   "Shared among",
				Value:  fmt.Sprintf(words.NMotherPlantsNPieces, plants, share),
				Source: working.OwnRecords,
			},
			{
				Name:   words.SticksOfOnePlant,
				Value:  fmt.Sprintf(words.AboutNBeforeTheNext, sticksAPlant),
				Source: working.HouseDefault,
			},
			{Name: words.ItGivesInASeason, Value: words.Gives(l.Gives, l.Plant.CutSticks), Source: words.GivesSource(l.Gives)},
			{Name: "Spare, waste", Value: fmt.Sprintf(words.TwoShares, asked.Spare, asked.Waste), Source: working.HouseDefault},
			{Name: "A stick", Value: from, Source: source},
			{
				Name: "Usable part",
				Value: map[bool]string{true: words.AllOfItSticksAre,
					false: usable + words.OfTheShoot}[l.Stick.Usable == wood.Whole],
				Source: working.HouseWay,
			},
			{
				Name:   words.BudsAPiece,
				Value:  fmt.Sprintf(words.NLeftAndNEaten, l.Buds, l.Stick.FaceBuds),
				Source: working.HouseWay,
			},
			{Name: words.PiecesAStick, Value: fmt.Sprintf(words.NOfNBuds, y.Pieces, l.Buds), Source: "geometry"}},
	}
}

// stickOf takes the stick as this plant, or its variety, gave it last.
func stickOf(f *snapshot.Snapshot, l *CollectLine, buds int) {
	l.Buds, l.Guess = 2, true
	like := Cut{
		LengthMM:    guessStick.LengthMM,
		BaseMM:      guessStick.BaseMM,
		TipMM:       guessStick.TipMM,
		InternodeMM: guessStick.InternodeMM,
		BlindPct:    guessStick.BlindShare * 100,
		Whole:       true,
	}
	var last *store.Bundle
	for i, b := range f.LastCut {
		if b.PlantID == l.Plant.ID {
			last = &f.LastCut[i]
			break
		}
		if b.VarietyID == l.Plant.VarietyID && (last == nil || cmp.Or(b.CutOn.Compare(last.CutOn), cmp.Compare(b.ID, last.ID)) > 0) {
			last = &f.LastCut[i]
		}
	}
	if b := last; b != nil {
		l.Guess, l.Buds = false, b.BudsPerPiece
		like = Cut{
			LengthMM:    b.LengthMM,
			BaseMM:      b.BaseMM,
			TipMM:       b.TipMM,
			InternodeMM: b.InternodeMM,
			BlindPct:    b.BlindShare * 100,
			Whole:       b.WholeShoot,
		}
	}
	if buds > 0 {
		l.Buds = buds
	}
	like.BudsPerPiece = l.Buds
	l.Stick, l.Measured = like.Stick(f.Way(WayUsable).Chosen, like.FaceBuds(FaceWay(f.Way(WayFace)))), Measured[1]
	if like.Whole {
		l.Measured = Measured[2]
	}
}

// Natural orders names as people do: row 9 before row 12.
func Natural(a, b string) int {
	for a != "" && b != "" {
		da, db := digits(a), digits(b)
		if da > 0 && db > 0 {
			x, _ := strconv.Atoi(a[:da])
			y, _ := strconv.Atoi(b[:db])
			if x != y {
				return cmp.Compare(x, y)
			}
			a, b = a[da:], b[db:]
			continue
		}
		if a[0] != b[0] {
			return cmp.Compare(a[0], b[0])
		}
		a, b = a[1:], b[1:]
	}
	return cmp.Compare(len(a), len(b))
}

func digits(s string) int {
	n := 0
	for n < len(s) && n < 9 && s[n] >= '0' && s[n] <= '9' {
		n++
	}
	return n
}

// WoodStates in which wood is cut.
var WoodStates = []string{"resting", "ripe green", "half-ripe"}

// What was measured of a bundle: a stick as it was cut from the base of a shoot,
// all of which is usable, or the whole shoot, of which the house's part is.
var Measured = []string{words.AsItsLengthSays, words.SticksCutFromTheBase, "whole shoots"}

// longestStick is the longest that a stick cut from the base is taken to be, in
// mm, where nobody says which it is. House default.
const longestStick = 400

// IsWhole reads which of Measured was meant; where nothing was said, by the
// length.
func IsWhole(measured string, lengthMM float64) bool {
	if measured == "" || measured == Measured[0] {
		return lengthMM > longestStick
	}
	return measured == Measured[2] || strings.HasPrefix(measured, "y")
}

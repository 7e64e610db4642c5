package outlook

import (
	"fmt"
	"math"
	"strings"

	"unionknot/internal/core/season"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/wood"
	"unionknot/internal/core/working"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// OrderPage is what an order's page shows.
type OrderPage struct {
	Line          OrderLine
	WhatIf        WhatIf
	Compatibility string      // a warning, or ""
	Sections      [2][]string // to choose from, of the variety and of the stock
	Section       [2]string   // as noted
	Batches       []store.Batch
	Deliveries    []store.Delivery // newest first
	Lots          []store.Lot
	Bundles       []store.Bundle
	Outs          []Out    // what was seen to be unfit of its stock and wood
	Ways          []WayOut // cheapest first; none where nothing lacks
}

// House defaults of ways out.
const (
	careLoss      = 0.10 // take lost on a pair of genera that goes with care
	SummerDelay   = 0.5  // of a year's delay, for a bud that sleeps till spring
	cutPieceCents = 8    // the work of cutting a piece more from the mother plants
)

// WayOut is what would meet an order that cannot be met as it stands: one or
// several steps that together cover all that it lacks.
type WayOut struct {
	Steps   []WayStep
	Cents   int // what it costs, against having enough
	Working working.Working
}

// WayStep is one thing to do.
type WayStep struct {
	Says   string
	Path   string // where it is done
	Grafts int    // it covers so many
	Cents  int
}

// Says is the way in a line.
func (w WayOut) Says() string {
	parts := make([]string, len(w.Steps))
	for i, x := range w.Steps {
		parts[i] = x.Says
	}
	return strings.Join(parts, " And: ")
}

// mostWays is how many ways out are shown.
const mostWays = 6

// WaysOut finds how an order that lacks something could be met whole, the
// cheapest sum first.
func (r *OrderSizer) WaysOut(p OrderPage) ([]WayOut, error) {
	l := p.Line
	if len(l.Means.Lacking()) == 0 {
		return nil, nil
	}
	bs, cal := r.Know(l.Order.Genus, l.Order.StockGenus)
	f := finder{r: r, h: r.F.House, p: p, beliefs: bs, cal: cal, t: l.Need.By.Technique, take: l.Need.By.mean()}
	hours := l.Means.Hands.Lack()
	f.lacks = supply.Lacks{supply.Wood: int(math.Ceil(l.Means.Wood.Lack())), supply.Stock: int(math.Ceil(l.Means.Stock.Lack())),
		supply.Hands: min(l.ToGo, int(math.Ceil(hours*f.t.PerHour())))}
	if l.Means.Window.Have == 0 {
		// Nothing can be made the ordinary way: what else lacks does not matter but
		// for stems.
		f.lacks[supply.Window] = l.ToGo
	}
	if f.lacks.All() == 0 { // only days are short: the hands' hours say by how much
		f.lacks[supply.Hands] = l.ToGo
	}
	if err := f.otherStock(); err != nil {
		return nil, err
	}
	f.budNow()
	f.buy()
	f.hands()
	f.summer()
	f.nextSeason()
	return f.combined(), nil
}

// step is a remedy with its words and where its price comes from.
type step struct {
	path   string
	says   func(n int) string
	inputs []working.Input
}

// finder gathers ways out.
type finder struct {
	r        *OrderSizer
	h        store.House
	p        OrderPage
	beliefs  map[string]Belief
	cal      *season.Calendar
	t        technique.Technique
	take     float64
	lacks    supply.Lacks
	remedies []supply.Remedy
	steps    []step
}

func (f *finder) add(meets []supply.Lack, most int, cents float64, path string, says func(n int) string) *step {
	f.remedies = append(f.remedies, supply.Remedy{Meets: meets, Most: most, Cents: cents})
	f.steps = append(f.steps, step{path: path, says: says})
	return &f.steps[len(f.steps)-1]
}

func (w *step) from(name, value, source string) *step {
	w.inputs = append(w.inputs, working.Input{Name: name, Value: value, Source: source})
	return w
}

// combined puts the remedies together.
func (f *finder) combined() []WayOut {
	var out []WayOut
	lacking := fmt.Sprintf(
		words.NPiecesNStemsWorkers,
		f.lacks[supply.Wood],
		f.lacks[supply.Stock],
		f.lacks[supply.Hands],
		f.lacks[supply.Window],
	)
	for _, c := range supply.Combine(f.lacks, f.remedies) {
		w := WayOut{Cents: int(math.Round(c.Cents))}
		w.Working = working.Working{Title: words.AWayOutForOrder + f.p.Line.Order.Code, Answer: words.Money(w.Cents), Rule: "ways out",
			Says:   words.WhatWouldMeetTheWhole,
			Inputs: []working.Input{{Name: "Lacking", Value: lacking, Source: working.OwnRecords}}}
		for _, part := range c.Parts {
			st := f.steps[part.Remedy]
			x := WayStep{
				Says:   st.says(part.Grafts),
				Path:   st.path,
				Grafts: part.Grafts,
				Cents:  int(math.Round(float64(part.Grafts) * f.remedies[part.Remedy].Cents)),
			}
			w.Steps = append(w.Steps, x)
			w.Working.Inputs = append(
				w.Working.Inputs,
				working.Input{
					Name:   x.Says,
					Value:  fmt.Sprintf(words.WayForGrafts, words.Money(x.Cents), part.Grafts),
					Source: working.OwnRecords,
				},
			)
			w.Working.Inputs = append(w.Working.Inputs, st.inputs...)
		}
		if out = append(out, w); len(out) == mostWays {
			break
		}
	}
	return out
}

// unlimited stands for as many as are wanted.
const unlimited = math.MaxInt32

var (
	onlyWood  = []supply.Lack{supply.Wood}
	onlyStock = []supply.Lack{supply.Stock}
	onlyHands = []supply.Lack{supply.Hands}
	butStock  = []supply.Lack{supply.Wood, supply.Hands, supply.Window}
	allLacks  = []supply.Lack{supply.Wood, supply.Stock, supply.Hands, supply.Window}
)

// worth is what losing so much take costs a graft.
func (f *finder) worth(loss float64) float64 { return math.Max(0, loss) * float64(f.h.TreeCents) }

// otherStock looks for a stock type that the variety also grows on. Stems that
// no other order needs cost nothing; beyond them other orders lack one each.
func (f *finder) otherStock() error {
	if f.lacks[supply.Stock] == 0 {
		return nil
	}
	asBelieved := *f.r
	asBelieved.Points = 0
	lines, err := asBelieved.Lines(f.p.WhatIf.Chance)
	if err != nil {
		return err
	}
	for _, t := range f.r.F.StockTypes {
		if t.ID == f.p.Line.Order.StockTypeID {
			continue
		}
		pair, known := f.r.F.Pair(f.p.Line.Order.Genus, t.Genus)
		if !known || pair.Verdict == KnownBad {
			continue
		}
		free, wanted := 0, 0
		for _, x := range f.r.Beds.Lots(t.ID) {
			free += x.Free
		}
		var others []string
		for _, l := range lines {
			if l.Order.StockTypeID == t.ID && l.ToGo > 0 {
				wanted += l.ToGo
				others = append(others, l.Order.Code)
			}
		}
		loss, care := 0.0, ""
		if pair.Verdict == withCare {
			loss, care = careLoss, words.WhichGoesWithCare
		}
		name := t.Genus + " " + t.Name
		spare := max(0, free-wanted)
		if spare > 0 {
			f.add(onlyStock, spare, f.worth(loss), "/stock", func(n int) string {
				return fmt.Sprintf(words.PutNOnXInstead, n, name, spare, care)
			}).
				from(words.TakeLostByThePair, words.Pct(loss), working.HouseDefault)
		}
		if taken := free - spare; taken > 0 {
			f.add(onlyStock, taken, f.worth(loss)+float64(f.h.StemCents), "/stock", func(n int) string {
				return fmt.Sprintf(
					words.PutNOnXInsteadX,
					n,
					name,
					care,
					strings.Join(others, ", "),
				)
			}).
				from(words.TakeLostByThePair, words.Pct(loss), working.HouseDefault).
				from(words.AStemForTheOther, words.Money(f.h.StemCents), WorthOf(f.h).Source(StemOf))
		}
	}
	return nil
}

// budNow makes more grafts of the same wood: one bud each, where a stored bud
// can be set now.
func (f *finder) budNow() {
	chip, ok := f.beliefs["chip-bud"]
	if f.lacks[supply.Wood] == 0 || !ok ||
		f.r.StandingFor(chip.Technique, f.p.Line.Order).Verdict == technique.Shut {
		return
	}
	pieces, buds := 0, 0
	for _, b := range f.p.Bundles {
		if b.BudsPerPiece > 1 {
			pieces, buds = pieces+b.Free, buds+b.Free*b.BudsPerPiece
		}
	}
	if pieces == 0 || buds <= pieces {
		return
	}
	each := float64(buds) / float64(pieces) // buds a piece: so many grafts of what was one
	// A graft gained asks for 1/(each − 1) pieces, all of whose buds then stand at
	// the chip's take.
	cost := f.worth(f.take-chip.Take.Mean()) * each / (each - 1)
	f.add(onlyWood, buds-pieces, cost, "/wood", func(n int) string {
		k := int(math.Ceil(float64(n) / (each - 1)))
		return fmt.Sprintf(words.ChipBudNGraftsFrom, n+k, k, n)
	}).
		from(words.ExpectedTakeChipBud, words.Pct(chip.Take.Mean()), working.OwnRecords).
		from("Expected take, "+f.t.Name, words.Pct(f.take), working.OwnRecords)
}

// juneDelay is the share of a year's growth that a bud of June loses: it grows
// the same year, but from summer on. House default.
const juneDelay = 0.25

// summer leaves what lacks to be budded with green wood, in the window that
// costs least.
func (f *finder) summer() {
	type choice struct {
		by    Belief
		w     technique.Window
		cents float64
		delay float64
	}
	var best *choice
	for _, t := range f.r.F.Techniques {
		if t.BudsMax != 1 || f.beliefs[t.Key].Technique.Key == "" {
			continue
		}
		for _, w := range t.Windows(f.cal, []string{season.RipeGreen}, technique.InRow) {
			if !w.To.After(f.r.F.Today) || w.From.After(f.r.F.Today.AddDate(1, 0, 0)) {
				continue
			}
			delay := SummerDelay
			if w.Use == technique.JuneBudding {
				delay = juneDelay
			}
			b := f.beliefs[t.Key]
			cents := b.mean()*float64(f.h.TreeCents)*f.h.DelayShare*delay + f.worth(f.take-b.mean())
			if best == nil || cents < best.cents-1e-9 {
				best = &choice{b, w, cents, delay}
			}
		}
	}
	if best == nil || f.p.Line.Need.Summer {
		return
	}
	f.add(butStock, unlimited, best.cents, "/season", func(n int) string {
		return fmt.Sprintf(
			words.LineTheStocksOutAnd,
			best.by.Technique.Name,
			n,
			best.w.Use,
			season.Say(best.w.From),
			season.Say(best.w.To.AddDate(0, 0, -1)),
		)
	}).
		from(words.GrowthLostBy+string(best.w.Use), fmt.Sprintf(words.XOfAYearsX, words.Pct(best.delay),
			words.Money(int(float64(f.h.TreeCents)*f.h.DelayShare*best.delay))), WorthOf(f.h).Source(TreeOf, DelayOf)).
		from("Expected take", words.Pct(best.by.mean()), working.OwnRecords)
}

// cutFor is how many pieces are cut or bought for so many grafts, with the spare
// and the waste that the collection sheet adds.
func cutFor(n int) int {
	return wood.SticksToCut(n, SparePct/100.0, WastePct/100.0, 1)
}

func (f *finder) buy() {
	if f.lacks[supply.Stock] > 0 {
		f.add(onlyStock, unlimited, float64(f.h.StemCents), "/stock", func(n int) string {
			return fmt.Sprintf(words.BuyNStemsOfX, n, f.p.Line.Order.StockType)
		}).
			from("A stem", words.Money(f.h.StemCents), WorthOf(f.h).Source(StemOf))
	}
	if f.lacks[supply.Wood] == 0 {
		return
	}
	more := (1 + SparePct/100.0) / (1 - WastePct/100.0)
	extra := fmt.Sprintf(words.SpareAndWaste, SparePct, WastePct)
	if can, stand := f.cal.WoodOn(season.Resting, f.r.F.Today); can {
		if last, ok := f.cal.StockOn(f.r.F.Today); ok && last.State == season.Resting {
			f.add(onlyWood, unlimited, cutPieceCents*more, "/wood/collect", func(n int) string {
				return fmt.Sprintf(
					words.CutNPiecesMoreFrom,
					cutFor(n),
					season.Say(last.To.AddDate(0, 0, -1)),
					n,
				)
			}).
				from(words.CuttingAPiece, words.Money(cutPieceCents), working.HouseDefault).
				from(words.PiecesAGraft, extra, working.HouseDefault).
				from("Wood", words.Wood(stand), working.OwnRecords)
		}
	}
	f.add(onlyWood, unlimited, float64(f.h.PieceCents)*more, "/wood", func(n int) string {
		return fmt.Sprintf(words.BuyNPiecesOfWood, cutFor(n), n)
	}).
		from("A piece", words.Money(f.h.PieceCents), WorthOf(f.h).Source(PieceOf)).
		from(words.PiecesAGraft, extra, working.HouseDefault)
}

func (f *finder) hands() {
	if f.lacks[supply.Hands] == 0 {
		return
	}
	f.add(onlyHands, unlimited, float64(f.h.WageCents)/f.t.PerHour(), "/bench/days", func(n int) string {
		return fmt.Sprintf(words.TakeOnNHoursMore, math.Ceil(float64(n)/f.t.PerHour()), f.t.Name)
	}).
		from("An hour", words.Money(f.h.WageCents), WorthOf(f.h).Source(WageOf))
}

func (f *finder) nextSeason() {
	f.add(allLacks, unlimited, f.take*float64(f.h.TreeCents)*f.h.DelayShare, "/season", func(n int) string {
		return fmt.Sprintf(words.TellTheBuyerThatThe, n)
	}).
		from(words.AYearsDelay, fmt.Sprintf(words.XOfATreeWorth, words.Pct(f.h.DelayShare), words.Money(f.h.TreeCents)),
			WorthOf(f.h).Source(TreeOf, DelayOf))
}

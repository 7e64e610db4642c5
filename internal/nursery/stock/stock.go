package stock

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/tally"
	"unionknot/internal/core/technique"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Forms in which stock comes.
var Forms = supply.Forms

// NewLot is what is asked of stock that came or was lined out.
type NewLot struct {
	Code, Genus, StockType, Supplier, Form, Place, Health string
	ReceivedOn                                            time.Time
	Received                                              int
	GradeLow, GradeHigh                                   float64 // mm; both 0 when not graded
}

func (n *NewLot) check(genera map[string]bool, today time.Time) nursery.Problems {
	var ps nursery.Problems
	n.Genus = nursery.CleanGenus(n.Genus)
	n.Code, n.StockType = nursery.CleanCode(n.Code), strings.TrimSpace(n.StockType)
	n.Supplier, n.Place, n.Health = strings.TrimSpace(n.Supplier), strings.TrimSpace(n.Place), strings.TrimSpace(n.Health)
	nursery.CheckCode(&ps, "code", n.Code)
	if !genera[n.Genus] {
		ps.Add("genus", words.ChooseAGenusFromThe, n.Genus)
	}
	if n.StockType == "" || utf8.RuneCountInString(n.StockType) > 60 {
		ps.Add("stock_type", words.NameTheStockInUp)
	}
	if !slices.Contains(Forms, n.Form) {
		ps.Add("form", words.TheStockIsBareRoot, n.Form)
	}
	if n.Received < 1 || n.Received > 1_000_000 {
		ps.Add("received", words.CountTheStemsAWhole)
	}
	if n.ReceivedOn.IsZero() || n.ReceivedOn.After(today) {
		ps.Add("received_on", words.GiveTheDayItCame)
	}
	if n.GradeLow != 0 || n.GradeHigh != 0 {
		if !(n.GradeLow > 0 && n.GradeHigh > n.GradeLow && n.GradeHigh <= 150) {
			ps.Add("grade_low", words.GradeRuns)
		}
	}
	return ps
}

// Genera lists the genera for a form.
func (s *Stage) Genera(ctx context.Context) ([]store.Genus, error) {
	f, err := s.Facts(ctx)
	if err != nil {
		return nil, err
	}
	return f.Genera, nil
}

// AddLot takes a lot in.
func (s *Stage) AddLot(ctx context.Context, a nursery.Actor, n NewLot) error {
	check := func(genera map[string]bool) nursery.Problems { return n.check(genera, s.Today()) }
	return s.AddTyped(ctx, a, "Lot", n.Code, check, func(ctx context.Context, q store.Q) error { return s.addLots(ctx, q, a, []NewLot{n}) })
}

func (s *Stage) addLots(ctx context.Context, q store.Q, a nursery.Actor, ns []NewLot) error {
	names, ls, cs := nursery.NamesIn(q), make([]store.Lot, len(ns)), make([]nursery.Change, len(ns))
	for i, n := range ns {
		typeID, err := names.Stock(ctx, n.StockType, n.Genus)
		if err != nil {
			return err
		}
		ls[i] = store.Lot{Code: n.Code, StockTypeID: typeID, Supplier: n.Supplier, ReceivedOn: n.ReceivedOn, Form: n.Form,
			Place: n.Place, Received: n.Received, Health: n.Health, MadeAt: s.Now()}
		if n.GradeHigh > 0 {
			ls[i].GradeLow, ls[i].GradeHigh = &n.GradeLow, &n.GradeHigh
		}
		cs[i] = nursery.Change{What: "lot", Ref: n.Code, Doing: "received", After: n}
	}
	if err := q.AddLots(ctx, ls, a.ID); err != nil {
		return err
	}
	return s.ChangedAll(ctx, q, a, cs...)
}

// Stem is a stem as it is calipered: its diameter in mm or, where it is oval, both.
type Stem struct{ MM, Other float64 }

// AddReadings keeps diameters in mm as they come off the caliper today.
func (s *Stage) AddReadings(ctx context.Context, a nursery.Actor, code string, mm []float64) error {
	stems := make([]Stem, len(mm))
	for i, d := range mm {
		stems[i].MM = d
	}
	return s.AddStems(ctx, a, code, stems)
}

// AddStems keeps stems as they come off the caliper today. An oval one counts by
// the mean of both diameters, and keeps both.
func (s *Stage) AddStems(ctx context.Context, a nursery.Actor, code string, stems []Stem) error {
	mm, wide := make([]float64, len(stems)), make([]*float64, len(stems))
	for i, x := range stems {
		if mm[i] = x.MM; x.Other != 0 && x.Other != x.MM {
			w := max(x.MM, x.Other)
			mm[i], wide[i] = (x.MM+x.Other)/2, &w
		}
		if x.Other < 0 || x.Other != 0 && max(x.MM, x.Other) > 2*min(x.MM, x.Other) {
			return nursery.Problem{Field: "mm", Says: words.TooOval(x.MM, x.Other)}
		}
	}
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	if len(mm) == 0 {
		return nursery.Problem{Field: "mm", Says: words.TypeAtLeastOneDiameter}
	}
	for _, d := range mm {
		if d < 1 || d > 150 {
			return nursery.Problem{
				Field: "mm",
				Says:  fmt.Sprintf(words.NMmIsNotAStem, d),
			}
		}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if again, err := nursery.SentBefore(ctx, q, "readings of "+code); err != nil || again {
			return err
		}
		l, err := q.LotByCode(ctx, code)
		if err != nil {
			return err
		}
		if err := q.LockLots(ctx, []int64{l.ID}); err != nil {
			return err
		}
		no, err := q.LastReadingNo(ctx, l.ID, s.Today())
		if err != nil {
			return err
		}
		if today, err := q.ReadingsOn(ctx, l.ID, s.Today()); err != nil {
			return err
		} else if today+len(mm) > l.Received {
			return nursery.Problem{Field: "mm", Says: fmt.Sprintf(words.LotXHasNStemsAnd, code, l.Received, today, len(mm))}
		}
		rs := make([]store.Reading, len(mm))
		for i, d := range mm {
			rs[i] = store.Reading{LotID: l.ID, TakenOn: s.Today(), No: no + 1 + i, MM: d, Wide: wide[i]}
		}
		if _, err := q.AddReadings(ctx, rs, a.ID); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "lot", code, "measured", nil, map[string]any{"mm": mm})
	})
}

// RemoveReading takes a wrong reading out; the record of changes keeps it.
func (s *Stage) RemoveReading(ctx context.Context, a nursery.Actor, code string, on time.Time, no int, why string) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	why, err := nursery.CheckWhy(why)
	if err != nil {
		return nursery.Problem{Field: "reading_why", Says: words.GiveAWhy}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		l, err := q.LotByCode(ctx, code)
		if err != nil {
			return err
		}
		r, err := q.RemoveReading(ctx, l.ID, on, no)
		if err != nil {
			return err
		}
		return s.WriteCorrection(ctx, q, a, "lot", code, why, []nursery.CorrectedValue{
			{Key: "reading", Was: words.ReadingOf(r.MM, r.TakenOn.Format(time.DateOnly), r.No), Is: words.TakenOut}})
	})
}

// TakeBackReading takes out the last of today's readings of a diameter. Asked
// again with the same key it has been done.
func (s *Stage) TakeBackReading(ctx context.Context, a nursery.Actor, code string, mm float64) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		l, err := q.LotByCode(ctx, code)
		if err != nil {
			return err
		}
		if again, err := nursery.SentBefore(ctx, q, words.AReadingOf+l.Code+" taken back"); err != nil || again {
			return err
		}
		if err := q.LockLots(ctx, []int64{l.ID}); err != nil {
			return err
		}
		rs, err := q.Readings(ctx, l.ID)
		if err != nil {
			return err
		}
		for i := len(rs) - 1; i >= 0 && rs[i].TakenOn.Equal(s.Today()); i-- {
			if math.Abs(rs[i].MM-mm) < 0.006 {
				r, err := q.RemoveReading(ctx, l.ID, rs[i].TakenOn, rs[i].No)
				if err != nil {
					return err
				}
				return s.Changed(ctx, q, a, "lot", l.Code, words.ReadingTakenOut, r, nil)
			}
		}
		return nursery.Problem{Field: "mm", Says: fmt.Sprintf(words.NoReadingOfNMm, mm)}
	})
}

// LotPage is what a lot's page shows.
type LotPage struct {
	Lot       store.Lot
	Diameters outlook.Diameters
	Readings  []store.Reading
	Sample    []float64
	Balances  []store.Balance
	Moves     []store.Move
	AtLeast   float64 // mm asked of the share
	Share     caliper.Share
	More      int // to measure to know the share within Within
	Grown     Grown
	Looks     []store.LotLook
	Failed    store.FailedOf  // stocks whose graft failed, not back yet
	Again     technique.Again // what is proposed for them
	Wood      []AgainWood     // that they would have
	Today     time.Time
	Story     []store.LotEvent // what happened to its stocks, back through the lots they came from
	Tapers    []store.LotTaper // newest first
	Out       outlook.Out      // what keeps it out of the weave, if anything does
}

// AgainWood is what a variety whose grafts failed gives to graft with again.
type AgainWood struct {
	Variety string
	Plants  []string // codes of its mother plants
	Sticks  int      // that they give in a season
}

// Within is how close a share is wanted, to either side. House default.
const Within = 0.05

// Lot gathers a lot's page. atLeast is the diameter in mm that the share is
// worked out for; 0 is 8 mm.
func (s *Stage) Lot(ctx context.Context, code string, atLeast float64) (LotPage, error) {
	q := s.DB.Q()
	var p LotPage
	l, err := q.LotPile(ctx, nursery.CleanCode(code))
	if err != nil {
		return p, err
	}
	p.Lot, p.Diameters, p.Sample = l.Lot, outlook.LotDiameters(l), outlook.LatestSample(l.Calipers)
	if p.Tapers, err = q.Tapers(ctx, l.ID); err != nil {
		return p, err
	}
	p.Today = s.Today()
	p.Out = outlook.LotOut(l, p.Today)
	if p.Story, err = q.LotStory(ctx, l.ID); err != nil {
		return p, err
	}
	if p.Readings, err = q.Readings(ctx, l.ID); err != nil {
		return p, err
	}
	p.AtLeast = atLeast
	if p.AtLeast <= 0 {
		p.AtLeast = 8
	}
	p.Share = caliper.AtLeast(p.Lot.Received, p.Sample, p.AtLeast)
	p.More = caliper.MoreToKnow(p.Lot.Received, p.Sample, p.AtLeast, Within)
	p.Grown = grown(p.Lot.Code, p.Readings, p.AtLeast)
	if p.Looks, err = q.LotLooks(ctx, p.Lot.ID); err != nil {
		return p, err
	}
	if p.Failed, err = q.FailedStocks(ctx, p.Lot.ID, string(tally.CameBack)); err != nil {
		return p, err
	}
	if p.Failed.N > 0 {
		f, err := s.Facts(ctx)
		if err != nil {
			return p, err
		}
		p.Again = again(f, p.Lot, p.Failed)
		plants, err := q.FailedWood(ctx, p.Lot.ID)
		if err != nil {
			return p, err
		}
		for _, m := range plants {
			i := len(p.Wood) - 1
			if i < 0 || p.Wood[i].Variety != m.Variety {
				p.Wood = append(p.Wood, AgainWood{Variety: m.Variety})
				i++
			}
			w := &p.Wood[i]
			w.Plants, w.Sticks = append(w.Plants, m.Code), w.Sticks+outlook.GivesOf(m, f.Today).Sticks
		}
	}
	if p.Balances, err = q.StockBalances(ctx, p.Lot.ID); err != nil {
		return p, err
	}
	p.Moves, err = q.StockMoves(ctx, p.Lot.ID, 0)
	return p, err
}

// Lots lists lots, newest first, from after on.
func (s *Stage) Lots(ctx context.Context, sieve nursery.Sieve, after int64) ([]outlook.LotLine, error) {
	q := s.DB.Q()
	ls, err := q.LotPiles(ctx, sieve, after, nursery.PageSize)
	if err != nil {
		return nil, err
	}
	out := make([]outlook.LotLine, len(ls))
	for i, l := range ls {
		out[i] = outlook.LotLine{Lot: l.Lot, Diameters: outlook.LotDiameters(l)}
	}
	return out, nil
}

// Sorts are what lots are sorted by; "" is the newest first.
var Sorts = store.LotSorts

// SiftedLots counts the lots that pass a sieve, and their free stems.
func (s *Stage) SiftedLots(ctx context.Context, sieve nursery.Sieve) (nursery.Sifted, error) {
	return s.DB.Q().SiftedLots(ctx, sieve)
}

// SettleStock moves stems of a lot by hand, with a reason: lost, found again,
// or spoiled away from the bench.
func (s *Stage) SettleStock(ctx context.Context, a nursery.Actor, code, from, to, reason string, n int) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	ok := map[[2]string]bool{{store.Free, store.Lost}: true, {store.Lost, store.Free}: true, {store.Free, store.Spoiled}: true}
	reason = strings.TrimSpace(reason)
	switch {
	case !ok[[2]string{from, to}]:
		return nursery.Problem{Field: "to", Says: words.StemsGoFromFreeTo}
	case n < 1:
		return nursery.Problem{Field: "n", Says: words.SayHowManyStems1}
	case reason == "":
		return nursery.Problem{Field: "reason", Says: words.SayWhySoThatThe}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if again, err := nursery.SentBefore(ctx, q, "stems of "+code); err != nil || again {
			return err
		}
		l, err := q.LotByCode(ctx, code)
		if err != nil {
			return err
		}
		err = q.MoveStock(
			ctx,
			store.Move{Of: l.ID, N: n, From: from, To: to, Reason: string(tally.ByHand), Note: reason, PersonID: a.ID, At: s.Now()},
		)
		return nursery.Short(err, "n", fmt.Sprintf(words.LotXHasFewerThanN, code, n, from))
	})
}

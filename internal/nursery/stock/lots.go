package stock

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/tally"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// What a look at a lot can say.
var (
	LotReady  = supply.LotReady
	LotRoots  = supply.LotRoots
	LotBark   = supply.LotBark
	LotLeaves = supply.LotLeaves
)

// LookAtLot keeps a look at a lot's health.
func (s *Stage) LookAtLot(ctx context.Context, a nursery.Actor, code string, l store.LotLook) error {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return err
	}
	var ps nursery.Problems
	for field, c := range map[string]struct {
		value string
		of    []string
	}{"ready": {l.Ready, LotReady}, "roots": {l.Roots, LotRoots}, "bark": {l.Bark, LotBark}, "leaves": {l.Leaves, LotLeaves}} {
		if !slices.Contains(c.of, c.value) {
			ps.Add(field, words.ChooseFromList)
		}
	}
	if err := ps.Err(); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		lot, err := q.LotByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		if again, err := nursery.SentBefore(ctx, q, words.ALookAt+lot.Code); err != nil || again {
			return err
		}
		l.LotID, l.PersonID, l.At, l.Note = lot.ID, a.ID, s.Now(), strings.TrimSpace(l.Note)
		return q.AddLotLook(ctx, l)
	})
}

// Recount settles a lot by a count of what is really there. The ledger keeps
// both: nothing is overwritten, the difference is a line of its own. It gives
// the difference, counted less written.
func (s *Stage) Recount(ctx context.Context, a nursery.Actor, code string, counted int) (int, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return 0, err
	}
	if counted < 0 || counted > 1_000_000 {
		return 0, nursery.Problem{Field: "counted", Says: words.CountTheFreeStemsA}
	}
	diff := 0
	err := s.DB.Tx(ctx, func(q store.Q) error {
		l, err := q.LotByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		if again, err := nursery.SentBefore(ctx, q, words.ARecountOf+l.Code); err != nil || again {
			return err
		}
		if err := q.LockLots(ctx, []int64{l.ID}); err != nil {
			return err
		}
		if l, err = q.LotByCode(ctx, l.Code); err != nil {
			return err
		}
		diff = counted - l.Free
		m := store.Move{
			Of:       l.ID,
			Reason:   string(tally.Recounted),
			Note:     fmt.Sprintf(words.NCountedNInThe, counted, l.Free),
			PersonID: a.ID,
			At:       s.Now(),
		}
		lost := 0
		bs, err := q.StockBalances(ctx, l.ID)
		if err != nil {
			return err
		}
		for _, b := range bs {
			if b.Account == store.Lost {
				lost = b.N
			}
		}
		move := func(n int, from, to string) error {
			if n <= 0 {
				return nil
			}
			m.N, m.From, m.To = n, from, to
			return q.MoveStock(ctx, m)
		}
		if err := move(-diff, store.Free, store.Lost); err != nil {
			return err
		}
		// What was lost is found first; the rest was never counted in.
		found := min(max(diff, 0), lost)
		if err := move(found, store.Lost, store.Free); err != nil {
			return err
		}
		if err := move(diff-found, store.Outside, store.Free); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "lot", l.Code, "recounted", l.Free, counted)
	})
	return diff, err
}

// Returning is what is asked of stocks whose graft failed.
type Returning struct {
	NewCode, Place string
	N              int     // that live
	Low, High      float64 // mm, as they are now; both 0: as those laid out for the tags on which some died
}

// again is the second chance proposed for a lot's failed stocks.
func again(f *snapshot.Snapshot, l store.Lot, failed store.FailedOf) technique.Again {
	c := f.Around(f.Genus(l.Genus).SeasonGroup)
	return technique.SecondChance(f.Answers().SecondChance(), failed.Buds, failed.Before, f.Techniques, c, f.Today)
}

// ReturnFailed makes the stocks of a lot whose grafts failed a lot of their own.
// By the house's way they wait there for the summer's buds or the next bench; a
// bud that failed while its window is open is set again at once.
func (s *Stage) ReturnFailed(ctx context.Context, a nursery.Actor, code string, r Returning) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	newCode, place, n := nursery.CleanCode(r.NewCode), r.Place, r.N
	var ps nursery.Problems
	nursery.CheckCode(&ps, "new_code", newCode)
	if (r.Low != 0 || r.High != 0) && !(r.Low > 0 && r.High > r.Low && r.High <= 150) {
		ps.Add("back_low", "%s", words.GradeNow)
	}
	if err := ps.Err(); err != nil {
		return err
	}
	facts, err := s.Facts(ctx)
	if err != nil {
		return err
	}
	err = s.DB.Tx(ctx, func(q store.Q) error {
		l, err := q.LotByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		if err := q.LockLots(ctx, []int64{l.ID}); err != nil {
			return err
		}
		f, err := q.FailedStocks(ctx, l.ID, string(tally.CameBack))
		if err != nil {
			return err
		}
		if f.N < 1 {
			return nursery.Problem{
				Field: "",
				Says:  fmt.Sprintf(words.StocksOfLotX, l.Code),
			}
		}
		if n < 1 || n > f.N {
			return nursery.Problem{
				Field: "back",
				Says: fmt.Sprintf(
					words.NStocksOfLotX,
					f.N,
					l.Code,
				),
			}
		}
		now := s.Now()
		if err := q.MoveStock(ctx, store.Move{Of: l.ID, N: n, From: store.Grafted, To: store.Outside, Reason: string(tally.CameBack),
			Note: newCode, PersonID: a.ID, At: now}); err != nil {
			return nursery.Short(err, "back", fmt.Sprintf(words.LotXHasFewerThan, l.Code, n))
		}
		back := store.Lot{
			Code:        newCode,
			StockTypeID: l.StockTypeID,
			Supplier:    l.Supplier,
			ReceivedOn:  s.Today(),
			Form:        l.Form,
			Place:       strings.Join(strings.Fields(place), " "),
			Received:    n,
			Health:      words.GraftFailedOnce,
			MadeAt:      now,
			CameFrom:    &l.ID,
			FailedNote:  f.Tags,
		}
		switch {
		case r.High > 0:
			back.GradeLow, back.GradeHigh = &r.Low, &r.High
		case f.Low != nil && f.High != nil:
			low, high := *f.Low-0.25, *f.High+0.25
			back.GradeLow, back.GradeHigh = &low, &high
		}
		if next := again(facts, l, f); next.From.After(facts.Today) {
			back.WaitsUntil, back.WaitsFor = &next.From, next.By.Key
		}
		if _, err := q.AddLot(ctx, back, a.ID); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "lot", newCode, words.CameBackFrom+l.Code, nil, n)
	})
	return nursery.Taken(err, "new_code", "Lot", newCode)
}

// Grown is a lot's growth as its dated samples tell.
type Grown struct {
	Samples []caliper.Dated
	Growth  caliper.Growth
	Known   bool
	Want    float64 // mm asked for
	Reach   caliper.Reach
	Reaches bool
	Working working.Working
}

// grown works out a lot's growth and when it reaches a wanted caliper, in mm.
func grown(code string, rs []store.Reading, want float64) Grown {
	on, mm := make([]time.Time, len(rs)), make([]float64, len(rs))
	for i, r := range rs {
		on[i], mm[i] = r.TakenOn, r.MM
	}
	g := Grown{Samples: caliper.ByDay(on, mm), Want: want}
	var err error
	if g.Growth, err = caliper.Grow(g.Samples); errors.Is(err, caliper.ErrOneDay) {
		return g
	}
	g.Known = true
	g.Reach, g.Reaches = g.Growth.Reaches(want)
	g.Working = working.Working{Title: words.GrowthOfLot + code, Rule: "growth", Answer: fmt.Sprintf(words.NMmAWeek, g.Growth.PerWeek),
		Range: fmt.Sprintf(words.NToNMmA, g.Growth.Low, g.Growth.High),
		Says:  words.AStraightLineThroughThe}
	for _, s := range g.Samples {
		m := 0.0
		for _, d := range s.MM {
			m += d / float64(len(s.MM))
		}
		g.Working.Inputs = append(
			g.Working.Inputs,
			working.Input{
				Name:   s.On.Format(words.LongDay),
				Value:  fmt.Sprintf(words.NMmMeanOfN, m, len(s.MM)),
				Source: working.Measured,
			},
		)
	}
	if g.Reaches {
		late := words.MaybeNeverGrowthCannotBe
		if !g.Reach.Latest.IsZero() {
			late = g.Reach.Latest.Format(words.LongDay)
		}
		g.Working.Inputs = append(g.Working.Inputs, working.Input{Name: fmt.Sprintf(words.MeanOfNMm, want),
			Value: fmt.Sprintf(
				words.XBetweenXAndX,
				g.Reach.On.Format(words.LongDay),
				g.Reach.Earliest.Format(words.LongDay),
				late,
			), Source: "statistics"})
	}
	return g
}

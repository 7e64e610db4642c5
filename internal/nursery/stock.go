package nursery

import (
	"context"
	"fmt"
	"math"
	"strings"
	"time"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/working"
	"unionknot/internal/store"
)

// Forms in which stock comes.
var Forms = []string{"bare-root", "potted", "in the row"}

// NewLot is what is asked of stock that came or was lined out.
type NewLot struct {
	Code, Genus, StockType, Supplier, Form, Place, Health string
	ReceivedOn                                            time.Time
	Received                                              int
	GradeLow, GradeHigh                                   float64 // mm; both 0 when not graded
}

func (n *NewLot) check(genera map[string]bool) Problems {
	var ps Problems
	n.Code, n.StockType = cleanCode(n.Code), strings.TrimSpace(n.StockType)
	n.Supplier, n.Place, n.Health = strings.TrimSpace(n.Supplier), strings.TrimSpace(n.Place), strings.TrimSpace(n.Health)
	checkCode(&ps, "code", n.Code)
	if !genera[n.Genus] {
		ps.add("genus", "Choose a genus from the list; %q is not in it.", n.Genus)
	}
	if n.StockType == "" || len(n.StockType) > 60 {
		ps.add("stock_type", "Name the stock, in up to 60 letters.")
	}
	if !contains(Forms, n.Form) {
		ps.add("form", "The stock is bare-root, potted or in the row; %q is none of them.", n.Form)
	}
	if n.Received < 1 || n.Received > 1_000_000 {
		ps.add("received", "Count the stems: a whole number from 1 to 1,000,000.")
	}
	if n.ReceivedOn.IsZero() {
		ps.add("received_on", "Give the day it came, such as 2027-01-14.")
	}
	if n.GradeLow != 0 || n.GradeHigh != 0 {
		if !(n.GradeLow > 0 && n.GradeHigh > n.GradeLow && n.GradeHigh <= 150) {
			ps.add("grade_low", "A grade runs from a smaller to a larger diameter in mm, such as 7 to 9. Leave both empty if it was not graded.")
		}
	}
	return ps
}

func contains(list []string, s string) bool {
	for _, x := range list {
		if x == s {
			return true
		}
	}
	return false
}

func (s *Service) genera(ctx context.Context, q store.Q) (map[string]bool, error) {
	gs, err := q.Genera(ctx)
	m := map[string]bool{}
	for _, g := range gs {
		m[g.Key] = true
	}
	return m, err
}

// Genera lists the genera for a form.
func (s *Service) Genera(ctx context.Context) ([]store.Genus, error) { return s.db.Q().Genera(ctx) }

// AddLot takes a lot in.
func (s *Service) AddLot(ctx context.Context, a Actor, n NewLot) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	genera, err := s.genera(ctx, s.db.Q())
	if err != nil {
		return err
	}
	if ps := n.check(genera); len(ps) > 0 {
		return ps
	}
	err = s.db.Tx(ctx, func(q store.Q) error { return s.addLot(ctx, q, a, n) })
	return taken(err, "code", "Lot", n.Code)
}

func (s *Service) addLot(ctx context.Context, q store.Q, a Actor, n NewLot) error {
	typeID, err := q.StockTypeFor(ctx, n.StockType, n.Genus)
	if err != nil {
		return err
	}
	l := store.Lot{Code: n.Code, StockTypeID: typeID, Supplier: n.Supplier, ReceivedOn: n.ReceivedOn, Form: n.Form,
		Place: n.Place, Received: n.Received, Health: n.Health, MadeAt: s.Now()}
	if n.GradeHigh > 0 {
		l.GradeLow, l.GradeHigh = &n.GradeLow, &n.GradeHigh
	}
	if _, err := q.AddLot(ctx, l, a.ID); err != nil {
		return err
	}
	return s.changed(ctx, q, a, "lot", n.Code, "received", nil, n)
}

// AddReadings keeps diameters in mm as they come off the caliper today.
func (s *Service) AddReadings(ctx context.Context, a Actor, code string, mm []float64) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	if len(mm) == 0 {
		return Problem{"mm", "Type at least one diameter in mm."}
	}
	for _, d := range mm {
		if d < 1 || d > 150 {
			return Problem{"mm", fmt.Sprintf("%g mm is not a stem: diameters run from 1 to 150 mm. Nothing was kept.", d)}
		}
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		if again, err := sentBefore(ctx, q, "readings of "+code); err != nil || again {
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
			return Problem{"mm", fmt.Sprintf("Lot %s has %d stems and %d are measured today; %d more would be too many.", code, l.Received, today, len(mm))}
		}
		rs := make([]store.Reading, len(mm))
		for i, d := range mm {
			rs[i] = store.Reading{LotID: l.ID, TakenOn: s.Today(), No: no + 1 + i, MM: d}
		}
		if _, err := q.AddReadings(ctx, rs, a.ID); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "lot", code, "measured", nil, map[string]any{"mm": mm})
	})
}

// RemoveReading takes a wrong reading out; the record of changes keeps it.
func (s *Service) RemoveReading(ctx context.Context, a Actor, code string, on time.Time, no int) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		l, err := q.LotByCode(ctx, code)
		if err != nil {
			return err
		}
		r, err := q.RemoveReading(ctx, l.ID, on, no)
		if err != nil {
			return err
		}
		return s.changed(ctx, q, a, "lot", code, "reading taken out", r, nil)
	})
}

// TakeBackReading takes out the last of today's readings of a diameter. Asked
// again with the same key it has been done.
func (s *Service) TakeBackReading(ctx context.Context, a Actor, code string, mm float64) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		l, err := q.LotByCode(ctx, code)
		if err != nil {
			return err
		}
		if again, err := sentBefore(ctx, q, "a reading of "+l.Code+" taken back"); err != nil || again {
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
				return s.changed(ctx, q, a, "lot", l.Code, "reading taken out", r, nil)
			}
		}
		return Problem{"mm", fmt.Sprintf("No reading of %g mm was kept today.", mm)}
	})
}

// Diameters is a lot or a bundle as classes: what there was, and what is
// free of each.
type Diameters struct {
	All    []caliper.Count
	Free   []caliper.Count
	Source string // measured, or house default for a spread over a grade
}

// lotDiameters works out a lot's classes from its readings, or its grade.
func (s *Service) lotDiameters(ctx context.Context, q store.Q, l store.Lot) (Diameters, []store.Reading, error) {
	var d Diameters
	rs, err := q.Readings(ctx, l.ID)
	if err != nil {
		return d, nil, err
	}
	use, err := q.StockClassUse(ctx, l.ID)
	if err != nil {
		return d, nil, err
	}
	switch {
	case len(rs) > 0:
		d.All, d.Source = caliper.FromSample(l.Received, latestSample(rs)), working.Measured
	case l.GradeLow != nil:
		d.All, d.Source = caliper.FromGrade(l.Received, *l.GradeLow, *l.GradeHigh), working.HouseDefault
	}
	d.Free = freeOf(d.All, use, l.Free)
	return d, rs, nil
}

// latestSample is the readings of the newest day that has a fair sample of
// its own; stems grow, so an older day's readings say less. Days are pooled
// until 20 readings are reached.
func latestSample(rs []store.Reading) []float64 {
	var mm []float64
	for i := len(rs) - 1; i >= 0; i-- {
		if len(mm) >= 20 && !rs[i].TakenOn.Equal(rs[i+1].TakenOn) {
			break
		}
		mm = append(mm, rs[i].MM)
	}
	return mm
}

// freeOf takes what was used of each class from what there was, and trims
// the rest to what the ledger says is free.
func freeOf(all []caliper.Count, use []store.ClassUse, free int) []caliper.Count {
	by := map[caliper.Class]int{}
	for _, c := range all {
		by[c.Class] += c.N
	}
	for _, u := range use {
		by[caliper.ClassOf(u.MM)] -= u.N
	}
	return caliper.AtMost(caliper.Sorted(by), free)
}

// LotPage is what a lot's page shows.
type LotPage struct {
	Lot       store.Lot
	Diameters Diameters
	Readings  []store.Reading
	Sample    []float64
	Balances  []store.Balance
	Moves     []store.Move
	AtLeast   float64 // mm asked of the share
	Share     caliper.Share
	More      int // to measure to know the share within Within
	Grown     Grown
	Looks     []store.LotLook
	Failed    store.FailedOf // stocks whose graft failed, not back yet
	Back      []store.Lot    // that came back
	From      string         // the lot it came back from
}

// Within is how close a share is wanted, to either side. House default.
const Within = 0.05

// Lot gathers a lot's page. atLeast is the diameter in mm that the share is
// worked out for; 0 takes the middle of what was measured.
func (s *Service) Lot(ctx context.Context, code string, atLeast float64) (LotPage, error) {
	q := s.db.Q()
	var p LotPage
	var err error
	if p.Lot, err = q.LotByCode(ctx, cleanCode(code)); err != nil {
		return p, err
	}
	if p.Diameters, p.Readings, err = s.lotDiameters(ctx, q, p.Lot); err != nil {
		return p, err
	}
	p.Sample = latestSample(p.Readings)
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
	if p.Failed, err = q.FailedStocks(ctx, p.Lot.ID, cameBack); err != nil {
		return p, err
	}
	if p.Back, err = q.LotsFrom(ctx, p.Lot.ID); err != nil {
		return p, err
	}
	if p.Lot.CameFrom != nil {
		l, err := q.LotByID(ctx, *p.Lot.CameFrom)
		if err != nil {
			return p, err
		}
		p.From = l.Code
	}
	if p.Balances, err = q.StockBalances(ctx, p.Lot.ID); err != nil {
		return p, err
	}
	p.Moves, err = q.StockMoves(ctx, p.Lot.ID, 0)
	return p, err
}

// LotLine is a lot with its diameters, for the list.
type LotLine struct {
	Lot       store.Lot
	Diameters Diameters
}

// Lots lists lots, newest first, from after on.
func (s *Service) Lots(ctx context.Context, after int64) ([]LotLine, error) {
	q := s.db.Q()
	ls, err := q.Lots(ctx, after, pageSize)
	if err != nil {
		return nil, err
	}
	out := make([]LotLine, len(ls))
	for i, l := range ls {
		out[i].Lot = l
		if out[i].Diameters, _, err = s.lotDiameters(ctx, q, l); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// pageSize is how many lines a list shows before it goes on.
const pageSize = 40

// SettleStock moves stems of a lot by hand, with a reason: lost, found again,
// or spoiled away from the bench.
func (s *Service) SettleStock(ctx context.Context, a Actor, code, from, to, reason string, n int) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	ok := map[[2]string]bool{{store.Free, store.Lost}: true, {store.Lost, store.Free}: true, {store.Free, store.Spoiled}: true}
	reason = strings.TrimSpace(reason)
	switch {
	case !ok[[2]string{from, to}]:
		return Problem{"to", "Stems go from free to lost or spoiled, or back from lost."}
	case n < 1:
		return Problem{"n", "Say how many stems: 1 or more."}
	case reason == "":
		return Problem{"reason", "Say why, so that the ledger tells the story."}
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		if again, err := sentBefore(ctx, q, "stems of "+code); err != nil || again {
			return err
		}
		l, err := q.LotByCode(ctx, code)
		if err != nil {
			return err
		}
		err = q.MoveStock(ctx, store.Move{Of: l.ID, N: n, From: from, To: to, Reason: reason, PersonID: a.ID, At: s.Now()})
		return short(err, "n", fmt.Sprintf("Lot %s has fewer than %d stems %s.", code, n, from))
	})
}

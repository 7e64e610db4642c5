package days

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"
	"time"

	"unionknot/internal/core/benchday"
	"unionknot/internal/core/design"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/take"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
)

// planOf plans the days; where the house wants it, tags then change hands within their
// half-days so that their counts tell more.
func planOf(d *outlook.Diary, l take.Learned) (benchday.Plan, error) {
	plan, err := benchday.Solve(d.Work)
	if err != nil || !d.F.Answers().Telling() {
		return plan, err
	}
	t, err := tell(d, l, plan)
	return t.plan, err
}

// Widths are half the 90 % ranges of the difference between two workers, and between two
// lots, in shares of a take.
type Widths struct{ Workers, Lots float64 }

// Meeting is how many grafts a worker makes of a lot over the days planned.
type Meeting struct{ As, So int } // as hands are free, and shared out so that counts tell

// HandOver is tags that change hands.
type HandOver struct {
	Day              time.Time
	Half             int
	From, To         string
	Lot, Bundle      string
	Technique, Batch string
	Grafts           int
}

// Telling is how the next batches are shared out so that their counts tell.
type Telling struct {
	On            bool // the house plans so
	Now, As, So   Widths
	Workers, Lots []string
	Meet          [][]Meeting // by lot and worker
	Over          []HandOver
	Grafts        int
	plan          benchday.Plan
}

// Telling works out what sharing out the next batches would tell.
func (s *Stage) Telling(ctx context.Context) (Telling, error) {
	f, err := s.Facts(ctx, outlook.DayNeeds...)
	if err != nil {
		return Telling{}, err
	}
	return s.TellingOf(ctx, f)
}

// TellingOf is Telling from facts that are there.
func (s *Stage) TellingOf(ctx context.Context, f *snapshot.Snapshot) (Telling, error) {
	l, err := s.Reckon.Weighed(ctx, f)
	if err != nil {
		return Telling{}, err
	}
	return nursery.Heavy(ctx, s.Kernel, func() (Telling, error) {
		d := outlook.DiaryOf(f, false)
		plan, err := benchday.Solve(d.Work)
		if err != nil {
			return Telling{}, fmt.Errorf("planning the days: %w", err)
		}
		return tell(d, l, plan)
	})
}

// worthTelling is by how much of their variance differences must be told better, for tags to
// change hands. House default.
const worthTelling = 0.02

// effects gives every effect that tags have its column.
type effects struct {
	of []take.Named
	at map[take.Named]int
}

func (e *effects) column(factor, level string) int {
	n := take.Named{Factor: factor, Level: level}
	i, ok := e.at[n]
	if !ok {
		i = len(e.of)
		e.at[n], e.of = i, append(e.of, n)
	}
	return i
}

// tag is grafts of a worker as the design has them.
func (e *effects) tag(l take.Learned, d *outlook.Diary, worker int64, lot, bundle, technique string, grafts int) design.Tag {
	t, _ := d.F.Technique(technique)
	p := l.Expect(technique, sizing.Prior(max(0.05, min(0.95, t.PriorTake)), max(1, t.PriorWeight))).Mean
	return design.Tag{Worker: e.column(take.Worker, strconv.FormatInt(worker, 10)), Weight: float64(grafts) * p * (1 - p),
		Others: []int{e.column(take.Lot, lot), e.column(take.Bundle, bundle), e.column(take.Technique, technique),
			e.column(take.Intercept, "")}}
}

// tell shares a plan's tags out so that their counts tell the most, at no loss of time.
func tell(d *outlook.Diary, l take.Learned, plan benchday.Plan) (Telling, error) {
	out := Telling{On: d.F.Answers().Telling(), plan: plan}
	e := &effects{at: map[take.Named]int{}}
	bench := d.Work.Exchange(plan)
	var tags []design.Tag
	var workers, lots []int
	add := func(to *[]int, c int) {
		if !slices.Contains(*to, c) {
			*to = append(*to, c)
		}
	}
	mean, n := 0.0, 0.0
	for _, c := range bench.Pieces() { // the first of the tags: the bench names them by their places
		j := d.Work.Jobs[c.Job]
		t := e.tag(l, d, d.Hands[c.Hand].Person.ID, j.Lot, j.Bundle, j.Technique, c.Grafts)
		tags = append(tags, t)
		add(&workers, t.Worker)
		add(&lots, t.Others[0])
		known, _ := d.F.Technique(j.Technique)
		mean += float64(c.Grafts) * l.Expect(j.Technique, sizing.Prior(max(0.05, min(0.95, known.PriorTake)), max(1,
			known.PriorWeight))).Mean
		n += float64(c.Grafts)
		out.Grafts += c.Grafts
	}
	if len(tags) == 0 {
		return out, nil
	}
	mean /= max(1, n)
	for _, t := range d.F.Uncounted() { // made, and soon counted whatever is planned
		tags = append(tags, e.tag(l, d, t.WorkerID, t.Lot, t.Bundle, t.Technique, t.Tied))
	}
	sets := [][]int{workers, lots}
	widths := func(x *design.Design) Widths {
		return Widths{take.HalfWidth90(mean, x.Difference(0)), take.HalfWidth90(mean, x.Difference(1))}
	}
	nothing, err := design.New(l.Joint(e.of), sets, nil)
	if err != nil {
		return out, err
	}
	x, err := design.New(l.Joint(e.of), sets, tags)
	if err != nil {
		return out, err
	}
	out.Now, out.As = widths(nothing), widths(x)
	before := slices.Clone(bench.Pieces())
	was := x.Total()
	after := before
	out.So = out.As
	if x.Improve(bench) > 0 && x.Total() < (1-worthTelling)*was {
		if better := bench.Plan(); !slices.Equal(better.Pieces, plan.Pieces) {
			out.plan, out.So, after = better, widths(x), bench.Pieces()
		}
	}
	out.meet(d, before, after)
	return out, nil
}

// meet says who makes how much of which lot, and which tags change hands.
func (t *Telling) meet(d *outlook.Diary, before, after []benchday.Piece) {
	workers, lots := map[string]int{}, map[string]int{}
	number := func(of map[string]int, names *[]string, name string) int {
		i, ok := of[name]
		if !ok {
			i = len(*names)
			of[name], *names = i, append(*names, name)
		}
		return i
	}
	type cell struct{ lot, worker int }
	cells := map[cell]Meeting{}
	for i, c := range before {
		j := d.Work.Jobs[c.Job]
		from, to := d.Hands[c.Hand].Person.Name, d.Hands[after[i].Hand].Person.Name
		l := number(lots, &t.Lots, j.Lot)
		a, b := cell{l, number(workers, &t.Workers, from)}, cell{l, number(workers, &t.Workers, to)}
		m := cells[a]
		m.As += c.Grafts
		cells[a] = m
		m = cells[b]
		m.So += c.Grafts
		cells[b] = m
		if from == to {
			continue
		}
		day, half := d.Day(c.Slot)
		h := HandOver{Day: day, Half: half, From: from, To: to, Lot: j.Lot, Bundle: j.Bundle, Technique: d.Names[j.Technique],
			Batch: j.Batch}
		at := slices.IndexFunc(t.Over, func(x HandOver) bool { h.Grafts = x.Grafts; return x == h })
		if at < 0 {
			h.Grafts = 0
			t.Over, at = append(t.Over, h), len(t.Over)
		}
		t.Over[at].Grafts += c.Grafts
	}
	for l := range t.Lots {
		row := make([]Meeting, len(t.Workers))
		for w := range row {
			row[w] = cells[cell{l, w}]
		}
		t.Meet = append(t.Meet, row)
	}
	slices.SortStableFunc(t.Over, func(a, b HandOver) int {
		return cmp.Or(a.Day.Compare(b.Day), a.Half-b.Half, cmp.Compare(a.From, b.From), cmp.Compare(a.Lot, b.Lot))
	})
}

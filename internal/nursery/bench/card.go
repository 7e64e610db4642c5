package bench

import (
	"context"
	"fmt"
	"slices"
	"time"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/tally"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/union"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Counts are a tag's taps added up.
type Counts struct {
	Tied         int  `json:"tied"`
	SpoiledStock int  `json:"spoiled_stock"`
	SpoiledWood  int  `json:"spoiled_wood"`
	Dropped      int  `json:"dropped"`
	SetAside     int  `json:"set_aside"`
	Left         int  `json:"left"` // that can still be tied
	SinceWipe    int  `json:"since_wipe"`
	Held         int  `json:"held"` // taps kept but not counted
	Finished     bool `json:"finished"`
}

// countsOf gives a tag's sums as the tablet takes them.
func countsOf(s tally.Sums, l tally.Laid) Counts {
	return Counts{Tied: s.Tied, SpoiledStock: s.SpoiledStock, SpoiledWood: s.SpoiledWood, Dropped: s.Dropped, SetAside: s.SetAside,
		Left: s.Left(l), SinceWipe: s.SinceWipe, Held: s.Refused, Finished: s.Finished}
}

// sumsOf reads a tag's sums from its row, and what lies on the bench for it.
func sumsOf(t store.TagState) (tally.Sums, tally.Laid) {
	return tally.Sums{Tied: t.Tied, SpoiledStock: t.SpoiledStock, SpoiledWood: t.SpoiledWood, Dropped: t.Dropped, SetAside: t.SetAside,
			SinceWipe: t.SinceWipe, Refused: t.Refused, Finished: t.FinishedAt != nil},
		tally.Laid{Stems: t.Planned - t.StockBack, Pieces: t.Planned*max(1, t.Buds) - t.WoodBack, Each: t.Buds, Passed: t.Passed}
}

// CardPage is what the bench card shows.
type CardPage struct {
	Tools     []store.Tool // to cut with; of the tag's worker
	Tag       store.Tag
	Technique technique.Technique
	Counts    Counts
	Threads   []store.Thread
	Pace      []store.Pace // by ten minutes, the last two hours
	PerHour   float64      // own pace now; 0 when not known
	Next      string       // the worker's next tag
	Workers   []store.Person
	FaceWay   union.Face   // the house's way to cut a slant face
	Face      float64      // its length in mm
	Manner    union.Manner // how the house cuts beside that
	Lay       string       // how a thinner scion is laid, by the house's way
	Held      []store.Tally
	LastTaps  []store.Tally // newest first, that can be taken back
	Steps     []string      // of the graft, by the house's ways
	Cautions  []string
	Class     string // the code of the class whose learner's it is; "" for a hand's
}

// HousePerHour is what the house reckons with for the tag's stocks.
func (p CardPage) HousePerHour() float64 { return p.Technique.RatePerHour / float64(p.Tag.Joins(1)) }

// HousePerHour is what the house reckons with for the tag's stocks.
func (p PacePage) HousePerHour() float64 { return p.Technique.RatePerHour / float64(p.Tag.Joins(1)) }

// WipeAfter is how many grafts call for a wipe of the knife.
func (CardPage) WipeAfter() int { return tally.WipeAfter }

// Card gathers the bench card of a tag. A bench hand has their own tags only.
func (s *Stage) Card(ctx context.Context, a nursery.Actor, code string) (CardPage, error) {
	q := s.DB.Q()
	var p CardPage
	var err error
	if p.Tag, err = q.TagByCode(ctx, code); err != nil {
		return p, err
	}
	if a.Role == nursery.BenchHand && !p.Tag.Has(a.ID) {
		return p, fmt.Errorf("tag %s is %s's: %w", code, p.Tag.Worker, nursery.ErrNotAllowed)
	}
	taps, err := q.Tallies(ctx, p.Tag.ID)
	if err != nil {
		return p, err
	}
	st := store.TagState{Planned: p.Tag.Planned, Buds: p.Tag.Buds, FinishedAt: p.Tag.FinishedAt, TagSums: p.Tag.TagSums}
	p.Counts = countsOf(sumsOf(st))
	for i := len(taps) - 1; i >= 0; i-- {
		t := taps[i]
		if t.Held != nil && t.Kind != "undo" {
			p.Held = append(p.Held, t)
		}
		if t.Held == nil && !t.Undone && t.Kind != "undo" && len(p.LastTaps) < 12 {
			p.LastTaps = append(p.LastTaps, t)
		}
	}
	if p.Tools, err = q.Tools(ctx, p.Tag.WorkerID); err != nil {
		return p, err
	}
	if p.Threads, err = q.TagThreads(ctx, p.Tag.ID); err != nil {
		return p, err
	}
	f, err := s.Facts(ctx)
	if err != nil {
		return p, err
	}
	p.Technique, _ = f.Technique(p.Tag.Technique)
	p.FaceWay = outlook.FaceWay(f.Way(outlook.WayFace))
	p.Face = p.FaceWay.Times() * (p.Tag.StockLow + p.Tag.StockHigh) / 2
	if f.Classes()[p.Tag.WorkerID] {
		of, _ := f.Person(p.Tag.WorkerID)
		p.Class = words.ClassCode(of.Name)
	}
	h := f.Answers()
	p.Manner = outlook.MannerOf(f)
	p.Steps, p.Cautions = words.CardSteps(p.Tag.Technique, h, supply.InGround(p.Tag.LotForm), p.Tag.Buds), words.CardCautions(h)
	if per := p.Tag.LotTaper; per != nil {
		for _, x := range p.Threads {
			c := caliper.ClassOf(x.StockMM)
			if cm, ok := p.Technique.Higher(c, caliper.ClassOf(x.WoodMM), *per); ok {
				p.Steps = append([]string{words.CutClassHigher(c.String(), cm)}, p.Steps...)
			}
		}
	}
	p.Lay, p.Workers = f.Way(outlook.WayLay).Chosen, f.Workers()
	if p.Pace, p.PerHour, err = s.pace(ctx, p.Tag.WorkerID); err != nil {
		return p, err
	}
	mine, err := q.Tags(ctx, store.Which{WorkerID: p.Tag.WorkerID, Open: true, All: true})
	slices.SortStableFunc(mine, outlook.ByDay)
	for _, t := range mine {
		if t.Code != p.Tag.Code {
			p.Next = t.Code
			break
		}
	}
	return p, err
}

// pace gives a worker's grafts by ten minutes over the last two hours, and what
// they come to in an hour.
func (s *Stage) pace(ctx context.Context, worker int64) ([]store.Pace, float64, error) {
	ps, err := s.DB.Q().PaceOf(ctx, worker, s.Now().Add(-2*time.Hour))
	return ps, outlook.PerHour(ps, s.Now()), err
}

// PacePage is what a card asks for again and again: how the tag stands.
type PacePage struct {
	Tag       store.Tag
	Technique technique.Technique
	Pace      []store.Pace
	PerHour   float64
}

// Pace gathers what a card's pace shows, and no more.
func (s *Stage) Pace(ctx context.Context, a nursery.Actor, code string) (PacePage, error) {
	var p PacePage
	var err error
	if p.Tag, err = s.DB.Q().TagByCode(ctx, code); err != nil {
		return p, err
	}
	if a.Role == nursery.BenchHand && !p.Tag.Has(a.ID) {
		return p, fmt.Errorf("tag %s is %s's: %w", code, p.Tag.Worker, nursery.ErrNotAllowed)
	}
	f, err := s.Facts(ctx)
	if err != nil {
		return p, err
	}
	p.Technique, _ = f.Technique(p.Tag.Technique)
	p.Pace, p.PerHour, err = s.pace(ctx, p.Tag.WorkerID)
	return p, err
}

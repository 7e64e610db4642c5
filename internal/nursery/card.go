package nursery

import (
	"context"
	"fmt"
	"slices"
	"time"

	"unionknot/internal/core/technique"
	"unionknot/internal/core/union"
	"unionknot/internal/store"
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

// tapsAdded adds up a tag's taps. Left is not known from them alone.
func tapsAdded(ts []store.Tally) Counts {
	var c Counts
	for _, t := range ts {
		if t.Held != nil {
			if t.Kind != "undo" {
				c.Held++
			}
			continue
		}
		if t.Undone || t.Kind == "undo" {
			continue
		}
		switch t.Kind {
		case "tied":
			c.Tied += t.N
			c.SinceWipe += t.N
		case "spoiled stock":
			c.SpoiledStock += t.N
		case "spoiled wood":
			c.SpoiledWood += t.N
		case "dropped":
			c.Dropped += t.N
		case "set aside":
			c.SetAside += t.N
		case "wiped", "new blade":
			c.SinceWipe = 0
		case "finish":
			c.Finished = true
		}
	}
	return c
}

// CardPage is what the bench card shows.
type CardPage struct {
	Tag       store.Tag
	Technique technique.Technique
	Counts    Counts
	Threads   []store.Thread
	Pace      []store.Pace // by ten minutes, the last two hours
	PerHour   float64      // own pace now; 0 when not known
	Next      string       // the worker's next tag
	Workers   []store.Person
	FaceWay   union.Face // the house's way to cut a slant face
	Face      float64    // its length in mm
	Lay       string     // how a thinner scion is laid, by the house's way
	Held      []store.Tally
	LastTaps  []store.Tally // newest first, that can be taken back
}

// wipeAfter is how many grafts call for a wipe of the knife. House default.
const wipeAfter = 40

// WipeAfter is how many grafts call for a wipe of the knife.
func (CardPage) WipeAfter() int { return wipeAfter }

// Card gathers the bench card of a tag. A bench hand has their own tags only.
func (s *Service) Card(ctx context.Context, a Actor, code string) (CardPage, error) {
	q := s.db.Q()
	var p CardPage
	var err error
	if p.Tag, err = q.TagByCode(ctx, code); err != nil {
		return p, err
	}
	if a.Role == BenchHand && p.Tag.WorkerID != a.ID {
		return p, fmt.Errorf("tag %s is %s's: %w", code, p.Tag.Worker, ErrNotAllowed)
	}
	taps, err := q.Tallies(ctx, p.Tag.ID)
	if err != nil {
		return p, err
	}
	p.Counts = tapsAdded(taps)
	stock, wood, err := s.onHand(ctx, q, p.Tag.ID, p.Tag.Planned)
	if err != nil {
		return p, err
	}
	p.Counts.Left = max(0, min(stock, wood)-p.Counts.Tied)
	if p.Tag.FinishedAt != nil {
		p.Counts.Left = 0
	}
	for i := len(taps) - 1; i >= 0; i-- {
		t := taps[i]
		if t.Held != nil && t.Kind != "undo" {
			p.Held = append(p.Held, t)
		}
		if t.Held == nil && !t.Undone && t.Kind != "undo" && len(p.LastTaps) < 12 {
			p.LastTaps = append(p.LastTaps, t)
		}
	}
	if p.Threads, err = q.TagThreads(ctx, p.Tag.ID); err != nil {
		return p, err
	}
	ts, err := s.techniques(ctx, q)
	if err != nil {
		return p, err
	}
	for _, t := range ts {
		if t.Key == p.Tag.Technique {
			p.Technique = t
		}
	}
	if p.FaceWay, err = faceWay(ctx, q); err != nil {
		return p, err
	}
	p.Face = p.FaceWay.Times() * (p.Tag.StockLow + p.Tag.StockHigh) / 2
	lay, err := q.HouseWay(ctx, "laying a thinner scion")
	if err != nil {
		return p, err
	}
	p.Lay = lay.Chosen
	since := s.Now().Add(-2 * time.Hour)
	if p.Pace, err = q.PaceOf(ctx, p.Tag.WorkerID, since); err != nil {
		return p, err
	}
	p.PerHour = perHour(p.Pace, s.Now())
	if p.Workers, err = s.Workers(ctx); err != nil {
		return p, err
	}
	mine, err := q.Tags(ctx, store.Which{WorkerID: p.Tag.WorkerID, Open: true, All: true})
	slices.SortStableFunc(mine, byDay)
	for _, t := range mine {
		if t.Code != p.Tag.Code {
			p.Next = t.Code
			break
		}
	}
	return p, err
}

// perHour is the pace over the last half hour of work, or 0 with under ten
// minutes to go by.
func perHour(ps []store.Pace, now time.Time) float64 {
	n, from := 0, time.Time{}
	for _, p := range ps {
		if now.Sub(p.From) <= 40*time.Minute {
			if from.IsZero() {
				from = p.From
			}
			n += p.N
		}
	}
	if from.IsZero() || now.Sub(from) < 10*time.Minute {
		return 0
	}
	return float64(n) / now.Sub(from).Hours()
}

// onHand is how many stems and pieces a tag has had laid out, grafted ones
// included, after what was spoiled, handed back and drawn anew.
func (s *Service) onHand(ctx context.Context, q store.Q, tagID int64, planned int) (stock, wood int, err error) {
	out := func(ps []store.Posted) int {
		n := planned
		for _, p := range ps {
			if p.Account != store.Grafted {
				n -= p.N
			}
		}
		return n
	}
	ps, err := q.PostedStock(ctx, tagID)
	if err != nil {
		return 0, 0, err
	}
	ws, err := q.PostedWood(ctx, tagID)
	return out(ps), out(ws), err
}

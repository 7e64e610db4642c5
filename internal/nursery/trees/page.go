package trees

import (
	"context"
	"math"
	"slices"
	"time"

	"unionknot/internal/core/family"
	"unionknot/internal/core/pollen"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/technique"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// State is where a limb stands.
type State string

// Where limbs stand.
const (
	Bare    State = "bare"    // nothing is wanted on it yet
	Nurse   State = "nurse"   // left on to feed the tree
	Unread  State = "unread"  // it is not measured
	Shut    State = "shut"    // its season is to come
	NoWood  State = "no wood" // what lacks
	NoRoom  State = "no room" // all its places are used, and none lives
	Open    State = "open"    // it can be woven
	AtBench State = "bench"   // in a batch or on a tag that is not finished
	Healing State = "healing" // not looked at
	Again   State = "again"   // none lives: a second try
	Choose  State = "choose"  // more live than one: keep the best
	Lives   State = "lives"
	Gone    State = "gone"
)

// LimbView is a limb with its grafts and what follows.
type LimbView struct {
	store.Limb
	Tags                           []store.LimbTag
	Acts                           []store.LimbAct
	Alive, Doubtful, Healing, Dead int
	Bench                          int // planned on tags that are not finished
	Cut                            int
	State                          State
	ToGo                           int
	Short                          int // pieces of wood that lack
	Standing                       technique.Standing
	By                             technique.Technique // by which its grafts to go are reckoned
	Line                           *outlook.OrderLine
	Chance                         float64    // that one graft at least of it lives on a tree
	Steps                          []LimbStep // to come, the next of each tag first
	Late                           int        // steps past their day
	OpensOn, ShutsOn               time.Time
	Fits                           []string  // techniques that its size is for
	NurseUntil                     time.Time // of a nurse limb: the year in which it goes
}

// LimbStep is what follows on a limb, and by when.
type LimbStep struct {
	Tag string
	store.LimbTag
	Step string
	N    int
	From time.Time
	By   time.Time
}

// Page is a tree's.
type Page struct {
	store.Tree
	Limbs    []LimbView
	Chance   float64         // that it is good: every variety that is wanted lives
	Good     sizing.Interval // good trees, of trees alike
	Enough   float64         // the chance of as many as are wanted, fit to sell
	Genera   []store.Genus
	Facts    *snapshot.Snapshot
	Flowers  []Flower // of its varieties
	Gaps     []pollen.Gap
	Varities []string
}

// List is every tree of several unions.
type List struct {
	Trees []store.Tree
	Lots  []store.LotPile // with stems free, that could bear some
	Facts *snapshot.Snapshot
}

// Trees lists them.
func (s *Stage) Trees(ctx context.Context) (l List, err error) {
	if l.Facts, err = s.Facts(ctx, snapshot.Piles); err != nil {
		return l, err
	}
	for _, x := range l.Facts.Lots {
		if x.Form != supply.Limb && x.Form != supply.Seedbed && x.Free > 0 {
			l.Lots = append(l.Lots, x)
		}
	}
	l.Trees, err = s.DB.Q().TreesKept(ctx)
	return l, err
}

// Tree gathers a tree's page.
func (s *Stage) Tree(ctx context.Context, code string) (p Page, err error) {
	q := s.DB.Q()
	if p.Tree, err = q.TreeByCode(ctx, nursery.CleanCode(code)); err != nil {
		return p, err
	}
	f, err := s.Facts(ctx, snapshot.Orders, snapshot.Piles, snapshot.Tags, snapshot.Rest, snapshot.Places)
	if err != nil {
		return p, err
	}
	p.Facts, p.Genera = f, f.Genera
	limbs, err := q.LimbsOf(ctx, p.ID)
	if err != nil {
		return p, err
	}
	tags, err := q.LimbTags(ctx, p.ID)
	if err != nil {
		return p, err
	}
	acts, err := q.LimbActs(ctx, p.ID)
	if err != nil {
		return p, err
	}
	lines, r, err := s.Reckon.OrderLines(ctx, f, &outlook.WhatIf{})
	if err != nil {
		return p, err
	}
	for _, m := range limbs {
		v := LimbView{Limb: m}
		for _, t := range tags {
			if t.LotID == m.LotID {
				v.Tags = append(v.Tags, t)
			}
		}
		for _, a := range acts {
			if a.LimbID == m.ID {
				v.Acts = append(v.Acts, a)
			}
		}
		if i := slices.IndexFunc(lines, func(l outlook.OrderLine) bool { return l.Order.StockTypeID == m.StockTypeID }); i >= 0 {
			v.Line = &lines[i]
		}
		v.stands(p.Tree, r)
		p.Limbs = append(p.Limbs, v)
	}
	p.nurses()
	for i := range p.Limbs {
		v := &p.Limbs[i]
		if v.MM == nil || p.Trees > 1 {
			continue
		}
		for _, t := range f.Techniques {
			if *v.MM >= t.StockMinMM && *v.MM <= t.StockMaxMM && f.Genus(v.Genus).Key != "" {
				v.Fits = append(v.Fits, t.Name)
			}
		}
	}
	p.reckon(r, f.House.Chance)
	if err := s.steps(ctx, q, f, &p); err != nil {
		return p, err
	}
	p.Flowers, p.Gaps, err = s.flowersOf(ctx, q, &p)
	return p, err
}

// stands works out where a limb stands.
func (v *LimbView) stands(t store.Tree, r *outlook.OrderSizer) {
	for _, x := range v.Tags {
		switch {
		case x.Finished == nil:
			v.Bench += x.Planned
		case !x.Looked:
			v.Healing += x.Standing
			v.Dead += x.Tied - x.Standing - x.Cut
		default:
			v.Alive, v.Doubtful = v.Alive+x.Standing-min(x.Doubtful, x.Standing), v.Doubtful+min(x.Doubtful, x.Standing)
			v.Dead += x.Tied - x.Standing - x.Cut
		}
		v.Cut += x.Cut
	}
	if v.Line != nil {
		v.ToGo, v.By = v.Line.ToGo, v.Line.Need.By.Technique
		if v.By.Key != "" {
			v.Standing = r.StandingFor(v.By, v.Line.Order)
		}
		v.Short = max(0, v.ToGo*v.By.Pieces()-v.Line.Weavable.Pieces)
		v.Bench += v.Line.Balance.Rest
		v.OpensOn, v.ShutsOn = v.Standing.Opens, v.Standing.Until
	}
	each := float64(max(1, t.Trees))
	switch live := v.Alive + v.Doubtful; {
	case v.RemovedOn != nil:
		v.State = Gone
	case v.Nurse:
		v.State = Nurse
	case v.Order == "":
		v.State = Bare
	case t.Trees == 1 && live > 1:
		v.State = Choose
	case live > 0 && v.ToGo == 0:
		v.State = Lives
	case v.Bench > 0:
		v.State = AtBench
	case v.Healing > 0:
		v.State = Healing
	case v.Line == nil:
		v.State = Lives
	case v.MM == nil && v.Free > 0:
		v.State = Unread
	case t.Trees > 1 && v.ToGo == 0:
		v.State = Lives
	case v.ToGo > 0 && v.Free == 0:
		v.State = NoRoom
	case v.Standing.Verdict == technique.Shut:
		v.State = Shut
	case v.Short > 0:
		v.State = NoWood
	case v.Dead > 0 && live == 0:
		v.State = Again
	default:
		v.State = Open
	}
	v.Chance = 1 - math.Pow(1-math.Min(1, float64(v.Alive)/each), 1)
	if v.Line == nil || v.Line.Need.By.Technique.Key == "" {
		return
	}
	take := v.Line.Need.By.Take
	more := v.Healing + v.Bench + v.ToGo + v.Doubtful
	if t.Trees == 1 {
		if v.Alive == 0 {
			v.Chance = family.Limb{Grafts: more, Take: take}.Lives()
		} else {
			v.Chance = 1
		}
		return
	}
	v.Chance = math.Min(1, (float64(v.Alive)+0.5*float64(v.Doubtful)+take.Mean()*float64(v.Healing+v.Bench+v.ToGo))/each)
}

// nurses dates the end of nurse limbs: the winter after the second summer of the first grafts.
func (p *Page) nurses() {
	var first time.Time
	for _, v := range p.Limbs {
		for _, t := range v.Tags {
			if t.Finished != nil && (first.IsZero() || t.Finished.Before(first)) {
				first = *t.Finished
			}
		}
	}
	for i := range p.Limbs {
		if p.Limbs[i].Nurse && !first.IsZero() {
			p.Limbs[i].NurseUntil = time.Date(first.Year()+nurseYears, time.January, 1, 0, 0, 0, 0, first.Location())
		}
	}
}

// nurseYears is how many years a nurse limb feeds what is grafted. House default.
const nurseYears = 2

// reckon works out the chance of the whole tree, or of as many good ones as are wanted.
func (p *Page) reckon(r *outlook.OrderSizer, chance float64) {
	var ls []family.Limb
	p.Chance = 1
	some := false
	for _, v := range p.Limbs {
		if v.Order == "" || v.RemovedOn != nil || v.Nurse {
			continue
		}
		some = true
		p.Chance *= v.Chance
		// What is counted is known as well as so many grafts tell.
		n := float64(max(1, p.Trees))
		weight := n
		if v.Line != nil && v.Alive+v.Dead == 0 {
			weight = v.Line.Need.By.Take.Alpha + v.Line.Need.By.Take.Beta
		}
		ls = append(ls, family.Limb{Grafts: 1, Take: sizing.Prior(math.Min(1-1e-6, math.Max(1e-6, v.Chance)), weight)})
	}
	if !some {
		p.Chance = 0
		return
	}
	if p.Trees > 1 {
		b := sizing.Balance{Groups: []sizing.Group{{N: p.Trees, Take: family.Good(ls)}}, Grade: r.Fate.Both}
		p.Good, p.Enough = b.Interval90(), b.Chance(p.Wanted)
	}
}

// steps are what follows on the tags of its limbs, the next of each first.
func (s *Stage) steps(ctx context.Context, q store.Q, f *snapshot.Snapshot, p *Page) error {
	var codes []string
	for _, v := range p.Limbs {
		for _, t := range v.Tags {
			if t.Finished != nil && t.Standing > 0 {
				codes = append(codes, t.Code)
			}
		}
	}
	if len(codes) == 0 {
		return nil
	}
	gs, err := q.GrowTagsByCode(ctx, codes)
	if err != nil {
		return err
	}
	with := *f
	with.Growing = gs
	n := outlook.NursingOf(&with)
	for _, g := range gs {
		of := n.Of(g)
		for i := range p.Limbs {
			v := &p.Limbs[i]
			k := slices.IndexFunc(v.Tags, func(t store.LimbTag) bool { return t.ID == g.ID })
			if k < 0 {
				continue
			}
			for _, x := range of.Plan.Knots {
				if x.By < n.Today {
					v.Late++
				} else if len(v.Steps) < mostSteps {
					v.Steps = append(v.Steps, LimbStep{Tag: g.Code, LimbTag: v.Tags[k], Step: x.Name.String(), N: x.N, From: x.From.Date(),
						By: x.By.Date()})
				}
			}
		}
	}
	return nil
}

// mostSteps is how many next steps of a limb are named. House default.
const mostSteps = 3

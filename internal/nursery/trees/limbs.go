package trees

import (
	"context"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"unionknot/internal/core/supply"
	"unionknot/internal/nursery"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// NewLimb is what is asked of a limb of a standing tree.
type NewLimb struct {
	Name     string
	MM       float64 // at the cut; 0: not measured
	HeightCM int     // of the cut from the trunk, 0: not measured
	Places   int     // for grafts
	Nurse    bool
	FromY    int // as it is drawn, in thousandths: where it leaves the trunk, and its tip
	TipX     int
	TipY     int
}

// Bounds of a limb.
const (
	mostPlaces = 40
	leastMM    = 3
	mostMM     = 400
)

func (n *NewLimb) check() nursery.Problems {
	var ps nursery.Problems
	trim(&n.Name)
	if utf8.RuneCountInString(n.Name) > 60 {
		ps.Add("name", "%s", words.NameShort)
	}
	if n.MM != 0 && !(n.MM >= leastMM && n.MM <= mostMM) {
		ps.Add("mm", "%s", words.LimbBetween(leastMM, mostMM))
	}
	if n.HeightCM < 0 || n.HeightCM > 3000 {
		ps.Add("height", "%s", words.HeightBetween)
	}
	if n.Places < 1 || n.Places > mostPlaces {
		ps.Add("places", "%s", words.PlacesBetween(mostPlaces))
	}
	n.FromY, n.TipX, n.TipY = within(n.FromY), within(n.TipX), within(n.TipY)
	return ps
}

func within(x int) int { return max(0, min(1000, x)) }

// in does something to a tree under its lock, with its limbs; a propagator may, and those named.
func (s *Stage) in(ctx context.Context, a nursery.Actor, code string, do func(q store.Q, t store.Tree, ls []store.Limb) error,
	too ...nursery.Role,
) error {
	if err := a.Must(append(too, nursery.Propagator)...); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		t, err := q.TreeByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		if err := q.LockTree(ctx, t.ID); err != nil {
			return err
		}
		ls, err := q.LimbsOf(ctx, t.ID)
		if err != nil {
			return err
		}
		return do(q, t, ls)
	})
}

// limb finds a limb that stands.
func limb(ls []store.Limb, letter string) (store.Limb, error) {
	i := slices.IndexFunc(ls, func(m store.Limb) bool { return m.Letter == strings.ToUpper(strings.TrimSpace(letter)) })
	if i < 0 {
		return store.Limb{}, nursery.Problem{Field: "", Says: words.NoSuchLimb(letter)}
	}
	if ls[i].RemovedOn != nil {
		return ls[i], nursery.Problem{Field: "", Says: words.LimbGone(ls[i].Letter)}
	}
	return ls[i], nil
}

// AddLimb draws a limb on a standing tree, and says its letter.
func (s *Stage) AddLimb(ctx context.Context, a nursery.Actor, code string, n NewLimb) (letter string, err error) {
	err = s.in(ctx, a, code, func(q store.Q, t store.Tree, ls []store.Limb) error {
		if again, err := nursery.SentBefore(ctx, q, "limb of "+t.Code); err != nil || again {
			return err
		}
		if ps := n.check(); len(ps) > 0 {
			return ps
		}
		if t.Kind != Standing || len(ls) == 26 {
			return nursery.Problem{Field: "", Says: words.NoMoreLimbs}
		}
		letter = letterOf(len(ls)) // letters are on labels: none is given twice
		m, err := s.addLimb(ctx, q, a, t, letter, t.Genus, store.Lot{Form: supply.Limb, Place: t.Place, Received: n.Places}, shape{n.FromY,
			n.TipX, n.TipY})
		if err != nil {
			return err
		}
		m.Name, m.Nurse, m.HeightCM = n.Name, n.Nurse, some(n.HeightCM)
		if err := q.SetLimb(ctx, m); err != nil {
			return err
		}
		if err := s.measure(ctx, q, a, m, n.MM); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "tree", t.Code, "limb drawn", nil, map[string]any{"limb": letter, "with": n})
	})
	return letter, err
}

// measure keeps what a limb measures at the cut today.
func (s *Stage) measure(ctx context.Context, q store.Q, a nursery.Actor, m store.Limb, mm float64) error {
	if mm == 0 {
		return nil
	}
	no, err := q.LastReadingNo(ctx, m.LotID, s.Today())
	if err != nil {
		return err
	}
	_, err = q.AddReadings(ctx, []store.Reading{{LotID: m.LotID, TakenOn: s.Today(), No: no + 1, MM: mm}}, a.ID)
	return err
}

// ShapeLimb keeps where a limb is drawn.
func (s *Stage) ShapeLimb(ctx context.Context, a nursery.Actor, code, letter string, fromY, tipX, tipY int) error {
	return s.in(ctx, a, code, func(q store.Q, _ store.Tree, ls []store.Limb) error {
		m, err := limb(ls, letter)
		if err != nil {
			return err
		}
		m.FromY, m.TipX, m.TipY = within(fromY), within(tipX), within(tipY)
		return q.SetLimb(ctx, m)
	})
}

// ChangeLimb keeps a limb's name, measures and use; more places are room for more grafts.
func (s *Stage) ChangeLimb(ctx context.Context, a nursery.Actor, code, letter string, n NewLimb) error {
	return s.in(ctx, a, code, func(q store.Q, t store.Tree, ls []store.Limb) error {
		m, err := limb(ls, letter)
		if err != nil {
			return err
		}
		if again, err := nursery.SentBefore(ctx, q, "limb "+m.Lot); err != nil || again {
			return err
		}
		each := m.Places
		if t.Kind != Standing || n.Places == 0 {
			n.Places = min(each, mostPlaces)
		}
		n.FromY, n.TipX, n.TipY = m.FromY, m.TipX, m.TipY
		if ps := n.check(); len(ps) > 0 {
			return ps
		}
		was := m
		m.Name, m.Nurse, m.HeightCM = n.Name, n.Nurse && m.Order == "", some(n.HeightCM)
		if err := q.SetLimb(ctx, m); err != nil {
			return err
		}
		if t.Kind == Standing && n.Places != each {
			if n.Places < each {
				if each-n.Places > m.Free {
					return nursery.Problem{Field: "places", Says: words.PlacesTaken(m.Letter, each-m.Free)}
				}
				if err := q.TakePlaces(ctx, m.LotID, each-n.Places, a.ID, s.Now()); err != nil {
					return err
				}
			} else if err := q.AddPlaces(ctx, m.LotID, n.Places-each, a.ID, s.Now()); err != nil {
				return err
			}
		}
		if m.MM == nil || *m.MM != n.MM {
			if err := s.measure(ctx, q, a, m, n.MM); err != nil {
				return err
			}
		}
		return s.Changed(ctx, q, a, "tree", t.Code, "limb changed", was, n)
	})
}

// TryAgain gives the trees of a set on which a limb's graft died another place for one, and says how
// many.
func (s *Stage) TryAgain(ctx context.Context, a nursery.Actor, code, letter string) (n int, err error) {
	err = s.in(ctx, a, code, func(q store.Q, t store.Tree, ls []store.Limb) error {
		m, err := limb(ls, letter)
		if err != nil {
			return err
		}
		if again, err := nursery.SentBefore(ctx, q, "again on "+m.Lot); err != nil || again {
			return err
		}
		ts, err := q.LimbTags(ctx, t.ID)
		if err != nil {
			return err
		}
		for _, x := range ts {
			if x.LotID == m.LotID && x.Looked {
				n += x.Tied - x.Standing - x.Cut
			}
		}
		if n -= m.Places - t.Trees; t.Trees == 1 || n <= 0 {
			return nursery.Problem{Field: "", Says: words.NoneToTryAgain(m.Letter)}
		}
		if err := q.AddPlaces(ctx, m.LotID, n, a.ID, s.Now()); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "tree", t.Code, words.TryAgainOn+m.Letter, nil, n)
	})
	return n, err
}

// Want is a variety that is to stand on a limb.
type Want struct {
	Variety, Genus string
	Sure           bool // a pair that is known to fail is meant
}

// WantOn takes an order for a variety on a limb: one graft at least is to live.
func (s *Stage) WantOn(ctx context.Context, a nursery.Actor, code, letter string, w Want) error {
	return s.in(ctx, a, code, func(q store.Q, t store.Tree, ls []store.Limb) error {
		m, err := limb(ls, letter)
		if err != nil {
			return err
		}
		if again, err := nursery.SentBefore(ctx, q, "wanted on "+m.Lot); err != nil || again {
			return err
		}
		w.Genus = nursery.CleanGenus(w.Genus)
		trim(&w.Variety)
		f, err := s.FactsIn(ctx, q, snapshot.Orders)
		if err != nil {
			return err
		}
		var ps nursery.Problems
		if w.Variety == "" || utf8.RuneCountInString(w.Variety) > 60 {
			ps.Add("variety", "%s", words.VarietyWanted)
		}
		if f.Genus(w.Genus).Key == "" {
			ps.Add("genus", "%s", words.ChooseGenus(w.Genus))
		}
		if len(ps) > 0 {
			return ps
		}
		if m.Nurse {
			return nursery.Problem{Field: "variety", Says: words.NurseBearsNone(m.Letter)}
		}
		if slices.ContainsFunc(f.Orders, func(o store.Order) bool { return o.StockTypeID == m.StockTypeID }) {
			return nursery.Problem{Field: "variety", Says: words.WantedAlready(m.Letter, m.Variety)}
		}
		if err := pairProblem(f, w.Genus, m.Genus, w.Sure); err != nil {
			return err
		}
		if err := s.want(ctx, q, m, w.Variety, w.Genus, t.Wanted, s.Today().AddDate(0, limbMonths, 0), t.Buyer); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "tree", t.Code, "wanted on "+m.Letter, nil, w)
	})
}

// limbMonths is until when a limb is to be grafted: two springs, as growers do it. House default.
const limbMonths = 18

// ChangeTree keeps what is noted of a tree.
func (s *Stage) ChangeTree(ctx context.Context, a nursery.Actor, code string, n NewTree) error {
	return s.in(ctx, a, code, func(q store.Q, t store.Tree, _ []store.Limb) error {
		trim(&n.Place, &n.Note)
		var ps nursery.Problems
		if checkNoted(&ps, n.Place, n.Note, n.Planted, n.GirthMM, s.Today().Year()); len(ps) > 0 {
			return ps
		}
		if err := q.SetTree(ctx, t.ID, n.Place, n.Note, some(n.Planted), some(n.GirthMM)); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "tree", t.Code, "changed", t, n)
	})
}

// dueBy is when a set is wanted where nothing is said: two seasons on, in spring. House default.
func dueBy(today time.Time) time.Time {
	return time.Date(today.Year()+2, time.March, 1, 0, 0, 0, 0, today.Location())
}

// DueBy is dueBy, for a form.
func (s *Stage) DueBy() time.Time { return dueBy(s.Today()) }

package rows

import (
	"context"
	"slices"
	"strings"

	"unionknot/internal/core/tally"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// NewRow is a row to be noted.
type NewRow struct {
	Field     string
	Number    int
	Bearing   int
	WindFrom  int // below 0: not noted
	SpacingCM int
	Note      string
}

func (n *NewRow) problems() (ps nursery.Problems) {
	n.Field, n.Note = strings.Join(strings.Fields(n.Field), " "), strings.Join(strings.Fields(n.Note), " ")
	if n.Field == "" || len([]rune(n.Field)) > 60 {
		ps.Add("field", "%s", words.NameField)
	}
	if n.Number < 1 || n.Number > 9999 {
		ps.Add("number", "%s", words.RowNumber)
	}
	if n.Bearing < 0 || n.Bearing > 359 {
		ps.Add("bearing", "%s", words.RowBearing)
	}
	if n.WindFrom > 359 {
		ps.Add("wind", "%s", words.RowBearing)
	}
	if n.SpacingCM < 1 || n.SpacingCM > 500 {
		ps.Add("spacing", "%s", words.RowSpacing)
	}
	if len([]rune(n.Note)) > 300 {
		ps.Add("note", "%s", words.NoteLong)
	}
	return ps
}

func (n NewRow) wind() *int {
	if n.WindFrom < 0 {
		return nil
	}
	return &n.WindFrom
}

// AddRow notes a row.
func (s *Stage) AddRow(ctx context.Context, a nursery.Actor, n NewRow) (id int64, err error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return 0, err
	}
	if ps := n.problems(); len(ps) > 0 {
		return 0, ps
	}
	err = s.DB.Tx(ctx, func(q store.Q) error {
		if again, err := nursery.SentBefore(ctx, q, "row "+words.RowPlace(n.Field, n.Number)); err != nil || again {
			return err
		}
		if id, err = q.AddFieldRow(ctx, Row{Field: n.Field, Number: n.Number, Bearing: n.Bearing, WindFrom: n.wind(),
			SpacingCM: n.SpacingCM,
			Note:      n.Note}, s.Now()); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "row", words.RowPlace(n.Field, n.Number), "added", nil, n)
	})
	return id, nursery.Taken(err, "number", "Row", words.RowPlace(n.Field, n.Number))
}

// in changes a row, with all of them held.
func (s *Stage) in(ctx context.Context, a nursery.Actor, id int64, roles []nursery.Role, do func(q store.Q, r Row) error) error {
	if err := a.Must(roles...); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if err := q.LockRows(ctx); err != nil {
			return err
		}
		r, err := q.FieldRow(ctx, id)
		if err != nil {
			return err
		}
		if r.GoneAt != nil {
			return nursery.ErrNotFound
		}
		return do(q, r)
	})
}

var (
	boss  = []nursery.Role{nursery.Propagator}
	hands = []nursery.Role{nursery.Propagator, nursery.BenchHand}
)

// ChangeRow changes how a row lies. Its number is changed by Renumber.
func (s *Stage) ChangeRow(ctx context.Context, a nursery.Actor, id int64, n NewRow) error {
	return s.in(ctx, a, id, boss, func(q store.Q, r Row) error {
		n.Field, n.Number = r.Field, r.Number
		if ps := n.problems(); len(ps) > 0 {
			return ps
		}
		was := NewRow{r.Field, r.Number, r.Bearing, -1, r.SpacingCM, r.Note}
		r.Bearing, r.WindFrom, r.SpacingCM, r.Note = n.Bearing, n.wind(), n.SpacingCM, n.Note
		if err := q.ChangeFieldRow(ctx, r); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "row", Place(r), "changed", was, n)
	})
}

// Renumber gives a row another number. What stands in it goes along: its plants, its tags and what
// is due there. Where another row has the number, they change numbers if swap says so.
func (s *Stage) Renumber(ctx context.Context, a nursery.Actor, id int64, field string, number int, swap bool) error {
	return s.in(ctx, a, id, boss, func(q store.Q, r Row) error {
		n := NewRow{Field: field, Number: number, SpacingCM: r.SpacingCM}
		if ps := n.problems(); len(ps) > 0 {
			return ps
		}
		was, now := Place(r), words.RowPlace(n.Field, n.Number)
		if was == now {
			return nil
		}
		rs, err := q.FieldRows(ctx)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(rs, func(x Row) bool { return x.ID != r.ID && strings.EqualFold(x.Field, n.Field) && x.Number == n.Number })
		if i >= 0 && !swap {
			return nursery.Problem{Field: "number", Says: words.RowTaken(now, was)}
		}
		// By way of a number that no row has, so that the two never meet.
		aside := words.RowPlace(n.Field, 100000+int(r.ID))
		if i >= 0 {
			other := rs[i]
			if err := q.NumberRow(ctx, other, other.Field, 10000+int(other.ID), a.ID, s.Now()); err != nil {
				return err
			}
			if err := q.RenamePlace(ctx, now, aside); err != nil {
				return err
			}
		}
		if err := q.NumberRow(ctx, r, n.Field, n.Number, a.ID, s.Now()); err != nil {
			return err
		}
		if err := q.RenamePlace(ctx, was, now); err != nil {
			return err
		}
		if i >= 0 {
			other := rs[i]
			if err := q.RenumberQuietly(ctx, other.ID, r.Field, r.Number); err != nil {
				return err
			}
			if err := q.RenamePlace(ctx, aside, was); err != nil {
				return err
			}
			if err := s.Changed(ctx, q, a, "row", was, "renumbered", now, was); err != nil {
				return err
			}
		}
		return s.Changed(ctx, q, a, "row", now, "renumbered", was, now)
	})
}

// RemoveRow takes a row off the map. What stands in it has to stand elsewhere first.
func (s *Stage) RemoveRow(ctx context.Context, a nursery.Actor, id int64) error {
	return s.in(ctx, a, id, boss, func(q store.Q, r Row) error {
		if len(r.Stands) > 0 {
			return nursery.Problem{Field: "", Says: words.RowNotEmpty(Place(r))}
		}
		now := s.Now()
		r.GoneAt = &now
		if err := q.ChangeFieldRow(ctx, r); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "row", Place(r), "removed", r, nil)
	})
}

// Standing is a lot to stand in a row from a plant on.
type Standing struct {
	Lot     string
	N       int // stems; 0: all that are free
	First   int // plant; 0: after the last
	NewCode string
}

// Stand lines stems of a lot out in a row, or notes that a lot that grows in the row stands in this
// one. It gives the code of the lot that stands there.
func (s *Stage) Stand(ctx context.Context, a nursery.Actor, id int64, n Standing) (string, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return "", err
	}
	q := s.DB.Q()
	r, err := q.FieldRow(ctx, id)
	if err != nil {
		return "", err
	}
	l, err := q.LotByCode(ctx, nursery.CleanCode(n.Lot))
	if err != nil {
		return "", nursery.Problem{Field: "lot", Says: words.NoSuchLot(n.Lot)}
	}
	if n.N < 0 || n.First < 0 || n.First > 90000 {
		return "", nursery.Problem{Field: "first", Says: words.FirstPlant}
	}
	// What was asked before is not asked again, and a stretch that is taken is found before anything
	// moves.
	for _, x := range r.Stands {
		if x.Lot == l.Code {
			return l.Code, nil
		}
	}
	many := n.N
	if many == 0 || l.Form == outlook.InRow {
		many = l.Free
		if l.Form == outlook.InRow {
			bs, err := q.StockBalances(ctx, l.ID)
			if err != nil {
				return "", err
			}
			many = 0
			for _, b := range bs {
				if b.Account == store.Free || b.Account == store.Aside || b.Account == string(tally.Grafted) {
					many += b.N
				}
			}
		}
	}
	if many == 0 {
		return "", nursery.Problem{Field: "lot", Says: words.NoStemFree(l.Code)}
	}
	first, err := room(r, n.First, many)
	if err != nil {
		return "", err
	}
	code, lined := l.Code, l.Form != outlook.InRow
	if lined {
		if code, err = s.lineOut(ctx, a, LiningOut{l.Code, string(tally.LinedOut), n.N, Place(r), n.NewCode}); err != nil {
			return "", asLot(err)
		}
	}
	return code, s.in(ctx, a, id, boss, func(q store.Q, r Row) error {
		l, err := q.LotByCode(ctx, code)
		if err != nil {
			return err
		}
		if slices.ContainsFunc(r.Stands, func(x store.RowStand) bool { return x.Lot == code }) {
			return nil
		}
		if _, err := room(r, first, many); err != nil {
			return err
		}
		if lined {
			if err := q.OutOfRows(ctx, l.ID, s.Now()); err != nil {
				return err
			}
		}
		if err := q.StandInRow(ctx, r.ID, l.ID, first, first+many-1); err != nil {
			return nursery.Taken(err, "lot", "Lot", code)
		}
		if !strings.EqualFold(l.Place, Place(r)) {
			if err := q.StandElsewhere(ctx, l.ID, l.Form, Place(r)); err != nil {
				return err
			}
			if err := q.TagsStand(ctx, l.ID, l.Place, Place(r)); err != nil {
				return err
			}
		}
		return s.Changed(ctx, q, a, "row", Place(r), "stood", nil, map[string]any{"lot": code, "first": first, "last": first + many - 1})
	})
}

// asLot names the fields of lining out as this form has them.
func asLot(err error) error {
	if p, ok := err.(nursery.Problem); ok && p.Field == "moved" {
		p.Field = "n"
		return p
	}
	return err
}

// room finds from which plant on so many stems can stand; 0 is after the last.
func room(r Row, first, many int) (int, error) {
	if first == 0 {
		first = 1
		for _, x := range r.Stands {
			first = max(first, x.Last+1)
		}
	}
	for _, x := range r.Stands {
		if first <= x.Last && first+many-1 >= x.First {
			return 0, nursery.Problem{Field: "first", Says: words.PlantsTaken(x.First, x.Last, x.Lot)}
		}
	}
	return first, nil
}

// Unstand takes a lot off a row's map; where it stands by its own page is left.
func (s *Stage) Unstand(ctx context.Context, a nursery.Actor, id, stand int64) error {
	return s.in(ctx, a, id, boss, func(q store.Q, r Row) error {
		i := slices.IndexFunc(r.Stands, func(x store.RowStand) bool { return x.ID == stand })
		if i < 0 {
			return nil
		}
		if err := q.LeaveRow(ctx, stand, s.Now()); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "row", Place(r), "struck", r.Stands[i], nil)
	})
}

// Restand corrects from which plant to which a lot stands.
func (s *Stage) Restand(ctx context.Context, a nursery.Actor, id, stand int64, first, last int) error {
	return s.in(ctx, a, id, boss, func(q store.Q, r Row) error {
		i := slices.IndexFunc(r.Stands, func(x store.RowStand) bool { return x.ID == stand })
		if i < 0 {
			return nursery.ErrNotFound
		}
		was := r.Stands[i]
		if first < 1 || last < first || last > 99999 {
			return nursery.Problem{Field: "first", Says: words.FirstPlant}
		}
		for k, x := range r.Stands {
			if k != i && first <= x.Last && last >= x.First {
				return nursery.Problem{Field: "first", Says: words.PlantsTaken(x.First, x.Last, x.Lot)}
			}
		}
		for _, g := range r.Gaps {
			if g.Stand == stand && (g.At < first || g.At > last) {
				return nursery.Problem{Field: "first", Says: words.GapOutside(g.At)}
			}
		}
		if err := q.MoveStand(ctx, stand, first, last); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "row", Place(r), "put right", []int{was.First, was.Last}, []int{first, last})
	})
}

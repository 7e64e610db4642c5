package rows

import (
	"context"
	"slices"
	"strings"
	"time"

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
	code := l.Code
	if l.Form != outlook.InRow {
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

// Gap is a plant that is not there.
type Gap struct {
	ID  string // of the device's own
	At  int
	Why string
}

// NoteGap notes a gap. Where nothing was grafted at that plant the lot has a stem less, and orders
// hear of it; where a tag stands there, it says which, so that the loss is noted on it.
func (s *Stage) NoteGap(ctx context.Context, a nursery.Actor, id int64, g Gap) (tag string, err error) {
	err = s.in(ctx, a, id, hands, func(q store.Q, r Row) error {
		tag = ""
		var of *int64
		g.Why = strings.Join(strings.Fields(g.Why), " ")
		switch {
		case !nursery.UUIDPattern.MatchString(g.ID):
			return nursery.Problem{Field: "", Says: words.ReloadTree}
		case len([]rune(g.Why)) > 120:
			return nursery.Problem{Field: "why", Says: words.NoteLong}
		}
		i := slices.IndexFunc(r.Stands, func(x store.RowStand) bool { return g.At >= x.First && g.At <= x.Last })
		if i < 0 {
			return nursery.Problem{Field: "at", Says: words.NoPlantAt(g.At)}
		}
		if slices.ContainsFunc(r.Gaps, func(x store.RowGap) bool { return x.ID != g.ID && x.At == g.At }) {
			return nursery.Problem{Field: "at", Says: words.GapThere(g.At)}
		}
		for _, x := range LaidOut(r) {
			if x.Stretch.First > 0 && g.At >= x.Stretch.First && g.At <= x.Last && (x.Tied > 0 || x.Open && x.Started != nil) {
				tag, of = x.Code, &x.ID
			}
		}
		st := r.Stands[i]
		n, err := q.AddRowGap(ctx, g.ID, st.ID, g.At, g.Why, of, a.ID, s.Now())
		if err != nil || n == 0 {
			return err
		}
		if tag == "" {
			if err := s.stem(ctx, q, a, r, st, store.Free, string(tally.Lost), g.At); err != nil {
				return err
			}
		}
		return s.Changed(ctx, q, a, "row", Place(r), "gap", nil, map[string]any{"plant": g.At, "why": g.Why, "tag": tag})
	})
	return tag, err
}

// stem moves one stem of a stand between accounts of its lot's ledger.
func (s *Stage) stem(ctx context.Context, q store.Q, a nursery.Actor, r Row, st store.RowStand, from, to string, at int) error {
	if err := (nursery.Hold{Lots: []int64{st.LotID}}).In(ctx, q); err != nil {
		return err
	}
	err := q.MoveStock(ctx, store.Move{Of: st.LotID, N: 1, From: from, To: to, Reason: string(tally.ByHand), Note: words.GapNote(at,
		Place(r)),
		PersonID: a.ID, At: s.Now()})
	return nursery.Short(err, "at", words.NoStemFree(st.Lot))
}

// UndoGap takes a gap back, and its stem with it.
func (s *Stage) UndoGap(ctx context.Context, a nursery.Actor, id int64, gap string) error {
	return s.in(ctx, a, id, hands, func(q store.Q, r Row) error {
		i := slices.IndexFunc(r.Gaps, func(x store.RowGap) bool { return x.ID == gap })
		if i < 0 {
			return nil
		}
		g := r.Gaps[i]
		if n, err := q.UndoRowGap(ctx, gap, s.Now()); err != nil || n == 0 {
			return err
		}
		k := slices.IndexFunc(r.Stands, func(x store.RowStand) bool { return x.ID == g.Stand })
		if g.Tag == nil {
			if err := s.stem(ctx, q, a, r, r.Stands[k], string(tally.Lost), store.Free, g.At); err != nil {
				return err
			}
		}
		return s.Changed(ctx, q, a, "row", Place(r), "gap undone", g.At, nil)
	})
}

// NoteSoil notes how the soil of a row was found.
func (s *Stage) NoteSoil(ctx context.Context, a nursery.Actor, id int64, note, soil string, on time.Time) error {
	return s.in(ctx, a, id, hands, func(q store.Q, r Row) error {
		switch {
		case !slices.Contains([]string{"dry", "moist", "sodden"}, soil):
			return nursery.Problem{Field: "soil", Says: words.ChooseSoil}
		case !nursery.UUIDPattern.MatchString(note):
			return nursery.Problem{Field: "", Says: words.ReloadTree}
		case on.IsZero() || on.After(s.Today()):
			return nursery.Problem{Field: "on", Says: words.NotYet}
		}
		if err := q.AddRowSoil(ctx, note, r.ID, soil, on, a.ID, s.Now()); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "row", Place(r), "soil", nil, soil)
	})
}

// UndoSoil takes that back.
func (s *Stage) UndoSoil(ctx context.Context, a nursery.Actor, id int64, note string) error {
	return s.in(ctx, a, id, hands, func(q store.Q, r Row) error {
		if !slices.ContainsFunc(r.Soils, func(x store.RowSoil) bool { return x.ID == note }) {
			return nil // it was taken back already
		}
		return q.UndoRowSoil(ctx, note, s.Now())
	})
}

// BeginAt notes at which plant a tag of a row begins; 0: where the one before it ends.
func (s *Stage) BeginAt(ctx context.Context, a nursery.Actor, id int64, code string, first int) error {
	return s.in(ctx, a, id, hands, func(q store.Q, r Row) error {
		i := slices.IndexFunc(r.Tags, func(t store.RowTag) bool { return t.Code == nursery.CleanCode(code) })
		if i < 0 {
			return nursery.ErrNotFound
		}
		t := r.Tags[i]
		k := slices.IndexFunc(r.Stands, func(x store.RowStand) bool { return x.LotID == t.LotID })
		if first != 0 && (first < r.Stands[k].First || first > r.Stands[k].Last) {
			return nursery.Problem{Field: "begins", Says: words.NoPlantAt(first)}
		}
		if err := q.BeginTagAt(ctx, t.ID, r.ID, first, a.ID, s.Now()); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "tag", t.Code, "begins at", t.First, first)
	})
}

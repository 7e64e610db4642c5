package rows

import (
	"context"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/tally"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

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

package stock

import (
	"context"
	"strings"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/tally"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Doing is what is done with stems to have them in another form.
type Doing struct {
	Name tally.Reason
	Form string // that they have then
}

// Doings are those there are.
var Doings = []Doing{{tally.Lifted, "bare-root"}, {tally.HeeledIn, "bare-root"}, {tally.Potted, "potted"}, {tally.LinedOut, outlook.InRow}}

// Moving is what is asked of stems that are lifted, potted, heeled in or lined
// out.
type Moving struct {
	Doing   string
	N       int    // 0: all that are free
	Place   string // where they stand then
	NewCode string // of the lot they become, where not all go
}

// MoveStems changes where stems of a lot stand and in what form. All that is left
// of a lot keeps its code; part of one becomes a lot of its own, with the same
// sample. It gives the lot's code.
func (s *Stage) MoveStems(ctx context.Context, a nursery.Actor, code string, m Moving) (string, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return "", err
	}
	m.Place, m.NewCode = strings.Join(strings.Fields(m.Place), " "), nursery.CleanCode(m.NewCode)
	var as *Doing
	for i := range Doings {
		if string(Doings[i].Name) == m.Doing {
			as = &Doings[i]
		}
	}
	switch {
	case as == nil:
		return "", nursery.Problem{Field: "doing", Says: words.ChooseDoing}
	case m.Place == "" || len(m.Place) > 80:
		return "", nursery.Problem{Field: "to_place", Says: words.SayWhere}
	case m.N < 0:
		return "", nursery.Problem{Field: "moved", Says: words.SayHowMany}
	}
	became := ""
	err := s.DB.Tx(ctx, func(q store.Q) error {
		l, err := q.LotByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		if l.Form == supply.Limb {
			return nursery.Problem{Field: "doing", Says: words.LimbStays}
		}
		if again, err := nursery.SentBefore(ctx, q, "stems of "+l.Code+" "+m.Doing); err != nil || again {
			became = l.Code
			return err
		}
		if err := q.LockLots(ctx, []int64{l.ID}); err != nil {
			return err
		}
		if l, err = q.LotByCode(ctx, l.Code); err != nil {
			return err
		}
		if m.N == 0 {
			m.N = l.Free
		}
		bs, err := q.StockBalances(ctx, l.ID)
		if err != nil {
			return err
		}
		aside := 0
		for _, b := range bs {
			if b.Account == store.Aside {
				aside = b.N
			}
		}
		switch {
		case l.Free == 0:
			return nursery.Problem{Field: "moved", Says: words.NoStemFree(l.Code)}
		case m.N > l.Free:
			return nursery.Problem{Field: "moved", Says: words.StemsFree(l.Code, l.Free)}
		case as.Form == l.Form && strings.EqualFold(m.Place, l.Place):
			return nursery.Problem{Field: "to_place", Says: words.StandsThere(l.Code, l.Form)}
		}
		row := store.LotMove{LotID: l.ID, Doing: m.Doing, N: m.N, FromForm: l.Form, FromPlace: l.Place, ToForm: as.Form, ToPlace: m.Place,
			PersonID: a.ID, At: s.Now()}
		if m.N == l.Free && aside == 0 {
			became = l.Code
			if err := q.StandElsewhere(ctx, l.ID, as.Form, m.Place); err != nil {
				return err
			}
		} else {
			if became, err = s.part(ctx, q, a, l, m, *as, aside, &row); err != nil {
				return err
			}
		}
		if err := q.AddLotMove(ctx, row); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "lot", l.Code, m.Doing, []string{l.Form, l.Place}, []any{as.Form, m.Place, m.N, became})
	})
	return became, nursery.Taken(err, "new_code", "Lot", m.NewCode)
}

// part makes stems of a lot a lot of their own.
func (s *Stage) part(ctx context.Context, q store.Q, a nursery.Actor, l store.Lot, m Moving, as Doing, aside int, row *store.LotMove) (
	string, error) {
	if m.NewCode == "" {
		return "", nursery.Problem{Field: "new_code", Says: words.PartNeedsCode(l.Code, m.N, l.Free, aside)}
	}
	var ps nursery.Problems
	if nursery.CheckCode(&ps, "new_code", m.NewCode); len(ps) > 0 {
		return "", ps
	}
	if err := q.MoveStock(ctx, store.Move{Of: l.ID, N: m.N, From: store.Free, To: store.Outside, Reason: string(as.Name), Note: m.NewCode,
		PersonID: a.ID, At: s.Now()}); err != nil {
		return "", nursery.Short(err, "moved", words.StemsFree(l.Code, l.Free))
	}
	id, err := q.AddLot(ctx, store.Lot{Code: m.NewCode, StockTypeID: l.StockTypeID, Supplier: l.Supplier, ReceivedOn: l.ReceivedOn,
		Form: as.Form, Place: m.Place, Received: m.N, GradeLow: l.GradeLow, GradeHigh: l.GradeHigh, Health: l.Health, MadeAt: s.Now(),
		CameFrom: &l.ID}, a.ID)
	if err != nil {
		return "", err
	}
	row.NewLotID = &id
	return m.NewCode, q.CopyReadings(ctx, l.ID, id)
}

// LetLotIn lets a lot in that was seen to be unfit, with who and why: it stays on the
// tags made of it, and stands until the next look.
func (s *Stage) LetLotIn(ctx context.Context, a nursery.Actor, code, why string) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	why, err := nursery.CheckWhy(why)
	if err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		l, err := q.LotPile(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		o := outlook.LotOut(l, s.Today())
		if len(o.Gates) == 0 || o.LetIn != nil {
			return nil
		}
		if err := q.LetIn(ctx, l.ID, 0, store.LetIn{Gates: o.GatesText(), Why: why, At: s.Now()}, a.ID); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "lot", l.Code, "let in", o.Gates, why)
	})
}

// Taper is what is asked of a lot's taper: either mm a cm, or stems calipered at the
// usual cut and higher up.
type Taper struct {
	PerCM float64 // 0: from Pairs
	Pairs []caliper.Pair
	CM    float64 // between the heights
	Typed string
}

// SetTaper keeps how much thinner a lot's stems are higher up.
func (s *Stage) SetTaper(ctx context.Context, a nursery.Actor, code string, n Taper) (caliper.Taper, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return caliper.Taper{}, err
	}
	t := caliper.Taper{PerCM: n.PerCM, Low: n.PerCM, High: n.PerCM}
	if n.PerCM == 0 {
		var err error
		if t, err = caliper.TaperOf(n.Pairs, n.CM); err != nil {
			return t, nursery.Problem{Field: "taper", Says: words.TaperAsked}
		}
	}
	if !(t.PerCM >= 0.001 && t.PerCM < 5) {
		return t, nursery.Problem{Field: "taper", Says: words.TaperAsked}
	}
	return t, s.DB.Tx(ctx, func(q store.Q) error {
		l, err := q.LotByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		if err := q.SetTaper(ctx, store.LotTaper{LotID: l.ID, PerCM: t.PerCM, Low: t.Low, High: t.High, Stems: t.N, CM: n.CM,
			Pairs:    n.Typed,
			PersonID: a.ID, At: s.Now()}); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "lot", l.Code, "taper", l.Taper, t.PerCM)
	})
}

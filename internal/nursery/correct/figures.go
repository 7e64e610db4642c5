package correct

import (
	"context"
	"math"
	"strconv"
	"strings"

	"unionknot/internal/core/own"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// healings are the ways to heal: between which temperatures each keeps its unions.
type healings struct{ *Stage }

func healingOf(ctx context.Context, q store.Q, ref string) (store.HealingWay, error) {
	hs, err := q.HealingWays(ctx)
	return theOne(hs, err, func(h store.HealingWay) bool {
		return h.Key == ref && h.LowC != nil && h.HighC != nil // in the row nobody keeps it warm
	})
}

func (s healings) read(ctx context.Context, q store.Q, ref string) (Thing, error) {
	if _, err := q.LockHouse(ctx); err != nil {
		return Thing{}, err
	}
	h, err := healingOf(ctx, q, ref)
	if err != nil {
		return Thing{}, err
	}
	fields := []Field{{Key: "low_c", Type: "number", Value: figure(*h.LowC)}, {Key: "high_c", Type: "number", Value: figure(*h.HighC)}}
	if own.Is(ref) {
		fields = append([]Field{{Key: "name", Type: "text", Value: h.Name}}, fields...)
	}
	return s.withDefaults(ctx, q, Thing{Kind: "healing", Ref: h.Key, Title: h.Name, Says: words.HealingFollows, Fields: fields})
}

func (s healings) write(ctx context.Context, q store.Q, _ nursery.Actor, ref string, v *values) error {
	h, err := healingOf(ctx, q, ref)
	if err != nil {
		return err
	}
	if own.Is(ref) {
		h.Name = v.text("name", 60, true)
	}
	low, high := v.number("low_c", -5, 40, false), v.number("high_c", -5, 40, false)
	if high < low {
		v.spoil("high_c", words.WarmerThanLow)
	}
	if err := v.ps.Err(); err != nil {
		return err
	}
	return q.CorrectHealing(ctx, ref, h.Name, low, high)
}

// materials are what a graft takes, and what that costs.
type materials struct{ *Stage }

func materialOf(ctx context.Context, q store.Q, ref string) (store.Material, error) {
	ms, err := q.Materials(ctx)
	return theOne(ms, err, func(m store.Material) bool { return m.Key == ref })
}

func (s materials) read(ctx context.Context, q store.Q, ref string) (Thing, error) {
	if _, err := q.LockHouse(ctx); err != nil {
		return Thing{}, err
	}
	m, err := materialOf(ctx, q, ref)
	if err != nil {
		return Thing{}, err
	}
	return s.withDefaults(ctx, q, Thing{Kind: "material", Ref: m.Key, Title: words.Capital(m.Name), Says: words.MaterialFollows(m.Unit,
		m.Each),
		Fields: []Field{
			{Key: "amount", Type: "number", Value: figure(m.Amount)}, {Key: "cents", Type: "number",
				Value: figure(float64(m.Cents) / 100)}}})
}

func (s materials) write(ctx context.Context, q store.Q, _ nursery.Actor, ref string, v *values) error {
	amount, price := v.number("amount", 0.001, 10_000, false), v.number("cents", 0, 100_000, false)
	if err := v.ps.Err(); err != nil {
		return err
	}
	return q.SetMaterial(ctx, ref, amount, int(math.Round(price*100)))
}

// sections are how two sections of a genus, or of two, get on.
type sections struct{ *Stage }

// sectionRef names a pair of sections: "maple Acer on maple Rubra".
func sectionRef(p store.SectionPairRow) string {
	return p.Scion + " " + p.ScionSection + " on " + p.Stock + " " + p.StockSection
}

// sectionPairOf reads such a name: which pair it is of those that there can be.
func sectionPairOf(ctx context.Context, q store.Q, ref string) (p store.SectionPairRow, err error) {
	ss, err := q.Sections(ctx)
	if err != nil {
		return p, err
	}
	scion, stock, _ := strings.Cut(ref, " on ")
	found := 0
	for _, x := range ss {
		if x.Genus+" "+x.Name == scion {
			p.Scion, p.ScionSection, found = x.Genus, x.Name, found|1
		}
		if x.Genus+" "+x.Name == stock {
			p.Stock, p.StockSection, found = x.Genus, x.Name, found|2
		}
	}
	if found != 3 {
		return p, nursery.ErrNotFound
	}
	ps, err := q.SectionPairs(ctx)
	for _, x := range ps {
		if sectionRef(x) == ref {
			p = x
		}
	}
	return p, err
}

func (s sections) read(ctx context.Context, q store.Q, ref string) (Thing, error) {
	if _, err := q.LockHouse(ctx); err != nil {
		return Thing{}, err
	}
	p, err := sectionPairOf(ctx, q, ref)
	if err != nil {
		return Thing{}, err
	}
	return s.withDefaults(ctx, q, Thing{Kind: "section", Ref: ref, Title: ref, Says: words.PairFollows, Fields: []Field{
		{Key: "verdict", Type: "select", Options: verdicts, Value: p.Verdict}, {Key: "note", Type: "text", Value: p.Note}}})
}

func (s sections) write(ctx context.Context, q store.Q, _ nursery.Actor, ref string, v *values) error {
	p, err := sectionPairOf(ctx, q, ref)
	if err != nil {
		return err
	}
	note := v.text("note", 300, false)
	if v.typed["verdict"] == "" {
		v.spoil("verdict", words.ChooseFromList)
	}
	if err := v.ps.Err(); err != nil {
		return err
	}
	return q.SetSectionPair(ctx, p.Scion, p.ScionSection, p.Stock, p.StockSection, v.typed["verdict"], note)
}

// worths are what things are worth to the house.
type worths struct{ *Stage }

func (s worths) read(ctx context.Context, q store.Q, ref string) (Thing, error) {
	h, err := q.LockHouse(ctx)
	if err != nil {
		return Thing{}, err
	}
	if ref != "house" {
		return Thing{}, nursery.ErrNotFound
	}
	w := outlook.WorthOf(h)
	money := func(cents int) string { return figure(float64(cents) / 100) }
	return s.withDefaults(ctx, q, Thing{Kind: "worth", Ref: ref, Title: words.WorthTitle, Says: words.WorthFollows, Fields: []Field{
		{Key: "wage", Type: "number", Value: money(w.WageCents)}, {Key: "tree", Type: "number", Value: money(w.TreeCents)},
		{Key: "stem", Type: "number", Value: money(w.StemCents)}, {Key: "piece", Type: "number", Value: money(w.PieceCents)},
		{Key: "delay", Type: "number", Value: strconv.Itoa(w.DelayPct)}, {Key: "grade", Type: "number", Value: strconv.Itoa(w.GradePct)}}})
}

func (s worths) write(ctx context.Context, q store.Q, _ nursery.Actor, _ string, v *values) error {
	h, err := q.LockHouse(ctx)
	if err != nil {
		return err
	}
	cents := func(key string) int { return int(math.Round(v.number(key, 0, 1_000_000, false) * 100)) }
	h.WageCents, h.TreeCents, h.StemCents, h.PieceCents = cents("wage"), cents("tree"), cents("stem"), cents("piece")
	h.DelayShare, h.GradeShare = float64(v.whole("delay", 0, 100))/100, float64(v.whole("grade", 10, 99))/100
	if err := v.ps.Err(); err != nil {
		return err
	}
	return q.UpdateHouse(ctx, h)
}

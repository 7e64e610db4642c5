package correct

import (
	"context"
	"slices"
	"strconv"
	"strings"

	"unionknot/internal/core/own"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// withDefaults puts what was shipped beside what the house has.
func (s *Stage) withDefaults(ctx context.Context, q store.Q, t Thing) (Thing, error) {
	ss, err := q.Shipped(ctx)
	if err != nil {
		return t, err
	}
	for _, x := range ss {
		for i, f := range t.Fields {
			if x.Kind == t.Kind && x.Ref == t.Ref && x.Field == f.Key {
				t.Fields[i].Default, t.Fields[i].Ships = x.Value, true
			}
		}
	}
	return t, nil
}

// theOne gives what is meant of all that were read; ErrNotFound where nothing is.
func theOne[T any](all []T, err error, is func(T) bool) (one T, _ error) {
	if err != nil {
		return one, err
	}
	i := slices.IndexFunc(all, is)
	if i < 0 {
		return one, nursery.ErrNotFound
	}
	return all[i], nil
}

type techniques struct{ *Stage }

func techniqueOf(ctx context.Context, q store.Q, ref string) (store.Technique, error) {
	ts, err := q.Techniques(ctx)
	return theOne(ts, err, func(t store.Technique) bool { return t.Key == ref })
}

func (s techniques) read(ctx context.Context, q store.Q, ref string) (Thing, error) {
	if _, err := q.LockHouse(ctx); err != nil {
		return Thing{}, err
	}
	t, err := techniqueOf(ctx, q, ref)
	if err != nil {
		return Thing{}, err
	}
	fields := []Field{
		{Key: "rate_per_hour", Type: "number", Value: strconv.Itoa(t.RatePerHour)},
		{Key: "prior_take", Type: "number", Value: figure(nursery.Round3(t.PriorTake * 100))},
		{Key: "prior_weight", Type: "number", Value: strconv.Itoa(t.PriorWeight)},
		{Key: "slope", Type: "number", Value: figure(t.Slope)},
		{Key: "ratio_max", Type: "number", Value: figure(t.RatioMax)},
	}
	if own.Is(ref) {
		fields = append([]Field{{Key: "name", Type: "text", Value: t.Name}}, fields...)
	}
	return s.withDefaults(ctx, q, Thing{Kind: "technique", Ref: t.Key, Title: t.Name, Says: words.TechniqueFollows, Fields: fields})
}

func (s techniques) write(ctx context.Context, q store.Q, _ nursery.Actor, ref string, v *values) error {
	t, err := techniqueOf(ctx, q, ref)
	if err != nil {
		return err
	}
	rate, take, weight := v.whole("rate_per_hour", 1, 1000), v.number("prior_take", 1, 99.9, false), v.whole("prior_weight", 1, 10_000)
	slope, most := v.number("slope", 0, 5, false), v.number("ratio_max", 0.1, 1.2, false)
	if most < t.RatioMin {
		v.spoil("ratio_max", words.RatioBelow)
	}
	if own.Is(ref) {
		t.Name = v.text("name", 60, true)
	}
	if err := v.ps.Err(); err != nil {
		return err
	}
	return q.CorrectTechnique(ctx, t.Key, t.Name, rate, take/100, weight, slope, most)
}

type ties struct{ *Stage }

func tieOf(ctx context.Context, q store.Q, ref string) (store.Tie, error) {
	ts, err := q.Ties(ctx)
	return theOne(ts, err, func(t store.Tie) bool { return t.Key == ref })
}

func (s ties) read(ctx context.Context, q store.Q, ref string) (Thing, error) {
	if _, err := q.LockHouse(ctx); err != nil {
		return Thing{}, err
	}
	t, err := tieOf(ctx, q, ref)
	if err != nil {
		return Thing{}, err
	}
	weeks := ""
	if t.Weeks != nil {
		weeks = strconv.Itoa(*t.Weeks)
	}
	fields := []Field{{Key: "weeks", Type: "number", Value: weeks}, {Key: "untie", Type: "text", Value: t.Untie}}
	if own.Is(ref) {
		fields = append([]Field{{Key: "name", Type: "text", Value: t.Name}}, fields...)
	}
	return s.withDefaults(ctx, q, Thing{Kind: "tie", Ref: t.Key, Title: t.Name, Says: words.TieFollows, Fields: fields})
}

func (s ties) write(ctx context.Context, q store.Q, _ nursery.Actor, ref string, v *values) error {
	t, err := tieOf(ctx, q, ref)
	if err != nil {
		return err
	}
	if own.Is(ref) {
		t.Name = v.text("name", 60, true)
	}
	t.Untie = v.text("untie", 200, true)
	var weeks *int
	if v.typed["weeks"] != "" {
		n := v.whole("weeks", 1, 60)
		weeks = &n
	}
	if err := v.ps.Err(); err != nil {
		return err
	}
	t.Weeks = weeks
	return q.CorrectTie(ctx, t)
}

type genera struct{ *Stage }

// usualWays are how a genus is mostly worked.
var usualWays = []string{"graft", "summer bud"}

func genusOf(ctx context.Context, q store.Q, ref string) (store.Genus, error) {
	gs, err := q.Genera(ctx)
	return theOne(gs, err, func(g store.Genus) bool { return g.Key == ref })
}

func (s genera) read(ctx context.Context, q store.Q, ref string) (Thing, error) {
	if _, err := q.LockHouse(ctx); err != nil {
		return Thing{}, err
	}
	g, err := genusOf(ctx, q, ref)
	if err != nil {
		return Thing{}, err
	}
	return s.withDefaults(ctx, q, Thing{Kind: "genus", Ref: g.Key, Title: g.Name, Says: words.GenusFollows, Fields: []Field{
		{Key: "logit_shift", Type: "number", Value: figure(g.LogitShift)},
		{Key: "usual_way", Type: "select", Options: usualWays, Value: g.UsualWay},
		{Key: "cut_note", Type: "text", Value: g.CutNote},
	}})
}

func (s genera) write(ctx context.Context, q store.Q, _ nursery.Actor, ref string, v *values) error {
	g, err := genusOf(ctx, q, ref)
	if err != nil {
		return err
	}
	g.LogitShift, g.UsualWay, g.CutNote = v.number("logit_shift", -4, 4, false), v.typed["usual_way"], v.text("cut_note", 300, false)
	if err := v.ps.Err(); err != nil {
		return err
	}
	return q.CorrectGenus(ctx, g)
}

type pairs struct{ *Stage }

// verdicts are how two genera get on; "" where nobody has said.
var verdicts = []string{"", "usual", "with care", "known bad"}

// pairOf reads "pear on quince".
func pairOf(ref string) (scion, stock string, ok bool) { return strings.Cut(ref, " on ") }

func (s pairs) read(ctx context.Context, q store.Q, ref string) (Thing, error) {
	if _, err := q.LockHouse(ctx); err != nil {
		return Thing{}, err
	}
	scion, stock, ok := pairOf(ref)
	known, err := generaOf(ctx, q)
	if err != nil {
		return Thing{}, err
	}
	if !ok || !slices.Contains(known, scion) || !slices.Contains(known, stock) {
		return Thing{}, nursery.ErrNotFound
	}
	ps, err := q.Pairs(ctx)
	if err != nil {
		return Thing{}, err
	}
	verdict, note := "", ""
	for _, p := range ps {
		if p.Scion == scion && p.Stock == stock {
			verdict, note = p.Verdict, p.Note
		}
	}
	return s.withDefaults(ctx, q, Thing{Kind: "pair", Ref: ref, Title: ref, Says: words.PairFollows, Fields: []Field{
		{Key: "verdict", Type: "select", Options: verdicts, Value: verdict}, {Key: "note", Type: "text", Value: note}}})
}

func (s pairs) write(ctx context.Context, q store.Q, _ nursery.Actor, ref string, v *values) error {
	scion, stock, _ := pairOf(ref)
	note := v.text("note", 300, false)
	if v.typed["verdict"] == "" {
		v.spoil("verdict", words.ChooseFromList)
	}
	if err := v.ps.Err(); err != nil {
		return err
	}
	return q.SetPair(ctx, scion, stock, v.typed["verdict"], note)
}

// TablesPage is the craft's tables as this house has them.
type TablesPage struct {
	Techniques []TableLine
	Ties       []TableLine
	Genera     []TableLine
	Pairs      []TableLine
	Sections   []TableLine
	Healing    []TableLine
	Causes     []TableLine
	Materials  []TableLine
	Worth      []TableLine
	Like       map[string][]Choice // what one of the house's own can be made as, by kind
	KnownParts []string            // sections, to say how two get on
	Known      []string            // genera, to say how two get on
}

// TableLine is a row: its values in the order of its fields, and which are the house's own.
type TableLine struct {
	Kind, Ref, Name string
	Cells           []TableCell
	Own             bool // the house's, not shipped
	Plain           bool // it has no figures
	NotOffered      bool
}

// TableCell is a value, with what was shipped where that differs.
type TableCell struct {
	Value, Default string
	Own            bool
}

// Tables lists them.
func (s *Stage) Tables(ctx context.Context, a nursery.Actor) (p TablesPage, err error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return p, err
	}
	q := s.DB.Q()
	ss, err := q.Shipped(ctx)
	if err != nil {
		return p, err
	}
	shipped := map[[3]string]string{}
	for _, x := range ss {
		shipped[[3]string{x.Kind, x.Ref, x.Field}] = x.Value
	}
	line := func(kind, ref, name string, pairs ...string) TableLine {
		l := TableLine{Kind: kind, Ref: ref, Name: name, Own: own.Is(ref) && kind != "material", Plain: len(pairs) == 0}
		for i := 0; i+1 < len(pairs); i += 2 {
			d, is := shipped[[3]string{kind, ref, pairs[i]}]
			l.Cells = append(l.Cells, TableCell{pairs[i+1], d, !is || d != pairs[i+1]})
		}
		return l
	}
	f, err := s.Facts(ctx)
	if err != nil {
		return p, err
	}
	for _, t := range f.AllWays {
		l := line("technique", t.Key, t.Name, "rate_per_hour", strconv.Itoa(t.RatePerHour), "prior_take",
			figure(nursery.Round3(t.PriorTake*100)), "prior_weight", strconv.Itoa(t.PriorWeight), "slope", figure(t.Slope),
			"ratio_max", figure(t.RatioMax))
		l.NotOffered = !t.InUse
		p.Techniques = append(p.Techniques, l)
	}
	for _, t := range f.Ties {
		weeks := ""
		if t.Weeks != nil {
			weeks = strconv.Itoa(*t.Weeks)
		}
		l := line("tie", t.Key, t.Name, "weeks", weeks)
		l.NotOffered = !f.Offered("tie", t.Key)
		p.Ties = append(p.Ties, l)
	}
	for _, g := range f.Genera {
		p.Known = append(p.Known, g.Key)
		p.Genera = append(p.Genera, line("genus", g.Key, g.Name, "logit_shift", figure(g.LogitShift), "usual_way", g.UsualWay))
	}
	ps, err := q.Pairs(ctx)
	for _, x := range ps {
		ref := x.Scion + " on " + x.Stock
		p.Pairs = append(p.Pairs, line("pair", ref, ref, "verdict", x.Verdict, "note", x.Note))
	}
	if err != nil {
		return p, err
	}
	for _, h := range f.Healing {
		l := line("healing", h.Key, h.Name)
		if h.LowC != nil && h.HighC != nil {
			l = line("healing", h.Key, h.Name, "low_c", figure(*h.LowC), "high_c", figure(*h.HighC))
		}
		l.NotOffered = !f.Offered("healing", h.Key)
		p.Healing = append(p.Healing, l)
	}
	cs, err := q.Causes(ctx)
	if err != nil {
		return p, err
	}
	for _, c := range cs {
		l := line("cause", c, c)
		_, ships := shipped[[3]string{"cause", c, "name"}]
		l.Own, l.NotOffered = !ships, !f.Offered("cause", c)
		p.Causes = append(p.Causes, l)
	}
	ms, err := q.Materials(ctx)
	if err != nil {
		return p, err
	}
	for _, m := range ms {
		p.Materials = append(p.Materials, line("material", m.Key, words.MaterialName(m.Name, m.Each, m.Unit), "amount", figure(m.Amount),
			"cents",
			figure(float64(m.Cents)/100)))
	}
	sps, err := q.SectionPairs(ctx)
	if err != nil {
		return p, err
	}
	slices.SortFunc(sps, func(a, b store.SectionPairRow) int { return strings.Compare(sectionRef(a), sectionRef(b)) })
	for _, x := range sps {
		p.Sections = append(p.Sections, line("section", sectionRef(x), sectionRef(x), "verdict", x.Verdict, "note", x.Note))
	}
	for _, x := range f.Sections {
		p.KnownParts = append(p.KnownParts, x.Genus+" "+x.Name)
	}
	w := outlook.WorthOf(f.House)
	money := func(cents int) string { return figure(float64(cents) / 100) }
	for _, x := range [][2]string{{"wage", money(w.WageCents)}, {"tree", money(w.TreeCents)}, {"stem", money(w.StemCents)},
		{"piece", money(w.PieceCents)}, {"delay", strconv.Itoa(w.DelayPct)}, {"grade", strconv.Itoa(w.GradePct)}} {
		l := line("worth", "house", words.FieldName(x[0]), x[0], x[1])
		p.Worth = append(p.Worth, l)
	}
	p.Like = map[string][]Choice{}
	for _, kind := range []string{"technique", "tie", "healing"} {
		if _, p.Like[kind], err = s.named(ctx, q, kind); err != nil {
			return p, err
		}
	}
	return p, nil
}

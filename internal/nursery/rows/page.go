package rows

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/benchday"
	"unionknot/internal/core/pace"
	"unionknot/internal/core/rows"
	"unionknot/internal/core/season"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/technique"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Kind is a kind of work along rows.
type Kind string

// The kinds.
const (
	Bud      Kind = "bud"
	TapeOff  Kind = "tape off"
	HeadBack Kind = "head back"
	Lift     Kind = "lift"
)

// Kinds are those there are, in the order of the season.
var Kinds = []Kind{Bud, TapeOff, HeadBack, Lift}

var knots = map[Kind][]aftercare.Name{TapeOff: {aftercare.Untie, aftercare.LoosenTie}, HeadBack: {aftercare.HeadBack},
	Lift: {aftercare.Lift}}

// How many stems one does in an hour along a row, until own marks say otherwise. House default.
var perHour = map[Kind]float64{TapeOff: 240, HeadBack: 150, Lift: 60}

// Crew is who is asked about: how many, and where they stand.
type Crew struct {
	Budders, Wrappers int
	HoursA            float64 // in the morning
	HoursB            float64 // in the afternoon
	Row               int64   // that they come from; 0: the yard
}

// UsualCrew is two who bud and one behind them who wraps. House default.
var UsualCrew = Crew{Budders: 2, Wrappers: 1, HoursA: outlook.MorningHours, HoursB: outlook.AfternoonHours}

// Line is a row in its turn.
type Line struct {
	Row
	rows.Turn
	Place    string
	Plants   int
	Budded   int
	ToBud    int // on tags, or in batches
	Unasked  int // stems that no order has
	Backward bool
	Side     SideSays
	Soil     rows.Soil
	By       string // the technique that it waits for
	At       int    // plant at which the work stands

	own  Own // of that technique
	buds int // a stem
}

// Field is a field's rows, as they lie.
type Field struct {
	Name string
	Rows []Line
}

// Page is the rows of the house.
type Page struct {
	Facts  *snapshot.Snapshot
	Kind   Kind
	Crew   Crew
	Fields []Field
	Turns  []Line  // that have work of the kind, in their turn
	ADay   float64 // stems a crew does in a day of the first row's
	AnHour float64
	Walked pace.Record // what past marks of the kind say, by the house's rate for one
	Own    Own         // of budding: what own tags by the first row's technique say
	By     string      // that technique, and how many buds a stem gets by it
	Buds   int
	Of     sizing.Interval // the pace as a multiple of the house's rate
	Alone  float64         // the same people, each for themselves
	Hours  float64         // usable a day
	Stems  int
	Late   int
	Lots   []store.Lot // that stand in no row yet and could
}

// Rows gathers the rows, in their turn for a kind of work; for none that is known, for the first
// that can be done now.
func (s *Stage) Rows(ctx context.Context, kind Kind, crew Crew) (p Page, err error) {
	if crew.Budders < 1 || crew.Budders > 40 || crew.Wrappers < 0 || crew.Wrappers > 40 || crew.HoursA < 0 || crew.HoursB < 0 ||
		crew.HoursA+crew.HoursB <= 0 || crew.HoursA > 12 || crew.HoursB > 12 {
		row := crew.Row
		crew = UsualCrew
		crew.Row = row
	}
	q := s.DB.Q()
	rs, err := q.FieldRows(ctx)
	if err != nil {
		return p, err
	}
	f, err := s.Facts(ctx, snapshot.Growing, snapshot.Rest, snapshot.Piles, snapshot.Tags)
	if err != nil {
		return p, err
	}
	w := working{s: s, f: f, rs: rs, crew: crew, beds: map[string]outlook.Bed{}, waits: map[string]int{}}
	if w.south, err = q.South(ctx); err != nil {
		return p, err
	}
	if w.walked, err = walked(ctx, q); err != nil {
		return p, err
	}
	if w.own, err = budded(ctx, q, f); err != nil {
		return p, err
	}
	n := outlook.NursingOf(f)
	for _, b := range n.Beds(n.All()) {
		w.beds[strings.ToLower(b.Place)] = b
	}
	for _, r := range f.Rest {
		w.waits[r.Lot] += r.N
	}
	if slices.Contains(Kinds, kind) {
		return w.page(kind), nil
	}
	for _, k := range Kinds {
		x := w.page(k)
		if len(p.Turns) == 0 || len(x.Turns) > 0 && p.Turns[0].From.IsZero() {
			if len(x.Turns) > 0 || p.Facts == nil {
				p = x
			}
		}
		if len(x.Turns) > 0 && x.Turns[0].Why != rows.NotOpen && x.Turns[0].Why != rows.Over {
			return x, nil
		}
	}
	return p, nil
}

// working is what the rows are put in turn from.
type working struct {
	s     *Stage
	f     *snapshot.Snapshot
	rs    []Row
	crew  Crew
	beds  map[string]outlook.Bed // by place
	waits map[string]int         // grafts of a lot in batches that are on no tag
	south bool
	// walked is what past marks say of each kind of work.
	walked map[Kind]pace.Record
	// own is what own tags say of each technique.
	own map[string]Own
}

// page puts the rows in their turn for a kind of work.
func (w working) page(kind Kind) Page {
	p := Page{Facts: w.f, Kind: kind, Crew: w.crew, Hours: benchday.Usable(w.crew.HoursA) + benchday.Usable(w.crew.HoursB)}
	p.Walked = w.walked[kind]
	p.Of = pace.Of([]pace.Record{p.Walked})
	at := rows.Crew{Hours: p.Hours}
	var works []rows.Work
	lines := map[string]Line{}
	for i, r := range w.rs {
		l := w.line(r, i)
		if r.ID == w.crew.Row {
			at.Field, at.At = r.Field, r.Number
		}
		x := rows.Work{Row: l.Place, Field: r.Field, Number: r.Number, Soil: l.Soil}
		if kind == Bud {
			w.budding(&l, &x)
		} else {
			steps(w.beds[strings.ToLower(l.Place)], &x, kind)
			x.Rate = p.Walked.Rate * p.Of.Mean * float64(w.crew.Budders)
		}
		lines[l.Place] = l
		if x.Stems > 0 {
			works = append(works, x)
		}
		if n := len(p.Fields); n == 0 || !strings.EqualFold(p.Fields[n-1].Name, r.Field) {
			p.Fields = append(p.Fields, Field{Name: r.Field})
		}
		field := &p.Fields[len(p.Fields)-1]
		field.Rows = append(field.Rows, l)
	}
	for _, t := range rows.Order(works, w.f.Today, at, rows.Asks{Slip: kind == Bud, Lift: kind == Lift}) {
		l := lines[t.Row]
		l.Turn = t
		p.Turns = append(p.Turns, l)
		p.Stems += t.Stems
		p.Late += t.LateStems
	}
	for _, t := range p.Turns {
		if t.Rate > 0 {
			p.AnHour, p.ADay, p.Alone = t.Rate, t.Rate*p.Hours, t.Rate
			if kind == Bud {
				p.Own, p.By, p.Buds, p.Of = t.own, t.By, t.buds, t.own.Of(w.crew.Wrappers)
				p.Alone = p.Own.Alone.Rate * p.Own.Of(0).Mean * float64(w.crew.Budders+w.crew.Wrappers) / float64(t.buds)
			}
			break
		}
	}
	p.Lots = w.s.toStand(w.f, w.rs)
	return p
}

// line is the i-th of the rows with what stands in it.
func (w working) line(r Row, i int) Line {
	l := Line{Row: r, Place: Place(r), Plants: Plants(r), Soil: w.s.SoilOf(r), Backward: rows.Backward(nth(w.rs, i)), At: reached(r)}
	l.Side = SideOf(r, w.f.Answers(), w.south, l.Backward)
	for _, t := range r.Tags {
		l.Budded += t.Tied
		if t.Open {
			l.ToBud += max(0, t.Planned-t.Tied)
		}
	}
	for _, x := range r.Stands {
		l.ToBud += w.waits[x.Lot]
		l.Unasked += x.Free
	}
	return l
}

// nth is a row's place in its field.
func nth(rs []Row, i int) (n int) {
	for k := i - 1; k >= 0 && strings.EqualFold(rs[k].Field, rs[i].Field); k-- {
		n++
	}
	return n
}

// reached is the plant at which the work of a row stands: after the last that is budded.
func reached(r Row) int {
	at := 0
	for _, x := range LaidOut(r) {
		if x.Tied > 0 && x.Stretch.First > 0 {
			n := rows.Lay(x.Stretch, gapsAll(r), []rows.Run{{Stems: x.Tied}})
			at = max(at, n[0].Last+1)
		}
	}
	return at
}

func gapsAll(r Row) (out []int) {
	for _, s := range r.Stands {
		out = append(out, gapsOf(r, s.ID, true)...)
	}
	return out
}

// budding says how many stems of a row wait for buds, by what and until when.
func (w working) budding(l *Line, x *rows.Work) {
	x.Stems = l.ToBud
	if l.ToBud == 0 {
		return
	}
	by, wood, buds, genus := "", season.RipeGreen, 1, ""
	for _, t := range l.Tags {
		if t.Open {
			by, wood, buds = t.Technique, t.Wood, max(1, t.Buds)
		}
	}
	for _, st := range l.Stands {
		genus = st.Genus
		for _, r := range w.f.Rest {
			if by == "" && r.Lot == st.Lot {
				by, buds = r.Technique, max(1, r.Buds)
				if b, ok := w.f.Bundle(r.Bundle); ok {
					wood = b.State
				}
			}
		}
	}
	t, ok := w.f.Technique(by)
	if !ok {
		return
	}
	l.By, l.buds, l.own = t.Name, buds, w.own[t.Key]
	x.Rate = w.crew.team().Pace(t.RatePerHour*l.own.Of(w.crew.Wrappers).Mean, outlook.CutShare, buds)
	cal := w.f.Around(w.f.Genus(genus).SeasonGroup)
	st := t.Standing(cal, []string{wood}, technique.InRow, w.f.Today)
	x.Opens, x.Closes = time.Time{}, st.Until
	if st.Verdict == technique.Shut {
		x.Opens, x.Closes = st.Opens, time.Time{}
		if st.Opens.IsZero() { // not again within reach
			x.Closes = w.f.Today.AddDate(0, 0, -1)
		} else {
			x.Closes = t.Standing(cal, []string{wood}, technique.InRow, st.Opens).Until
		}
	}
	if st.Verdict == technique.Best {
		x.BestFrom, x.Best = w.f.Today, w.f.Today
	}
}

// steps says how many trees of a row wait for a step.
func steps(b outlook.Bed, w *rows.Work, kind Kind) {
	for _, list := range [][]outlook.BedStep{b.Steps, b.Coming} {
		for _, x := range list {
			if !slices.Contains(knots[kind], x.Name) {
				continue
			}
			w.Stems += x.Trees
			w.Opens, w.Closes = x.From.Date(), later(x.By.Date(), w.Closes)
			w.BestFrom, w.Best = x.Best.Date(), x.Best.Date()
		}
	}
}

func later(a, b time.Time) time.Time {
	if b.IsZero() || a.Before(b) {
		return a
	}
	return b
}

// toStand are the lots that stand in the row and are in no row of a field yet, and those that could
// be lined out.
func (s *Stage) toStand(f *snapshot.Snapshot, rs []Row) (out []store.Lot) {
	in := map[string]bool{}
	for _, r := range rs {
		for _, x := range r.Stands {
			in[x.Lot] = true
		}
	}
	for _, l := range f.Lots {
		if !in[l.Code] && l.Free > 0 && l.Form != "limb" {
			out = append(out, l.Lot)
		}
	}
	slices.SortStableFunc(out, func(a, b store.Lot) int {
		first := func(l store.Lot) int {
			if l.Form == outlook.InRow {
				return 0
			}
			return 1
		}
		return cmp.Or(first(a)-first(b), strings.Compare(a.Code, b.Code))
	})
	return out
}

// RowPage is one row.
type RowPage struct {
	Row
	Facts    *snapshot.Snapshot
	Place    string
	Plants   int
	Laid     []Laid
	Backward bool
	Side     SideSays
	Soil     rows.Soil
	Next     int // plant at which the next lot would begin
	At       int
	Bed      outlook.Bed
	Lots     []store.Lot
	Open     []Laid // tags that are not finished, in their order
}

// Row gathers a row's page.
func (s *Stage) Row(ctx context.Context, id int64) (p RowPage, err error) {
	q := s.DB.Q()
	rs, err := q.FieldRows(ctx)
	if err != nil {
		return p, err
	}
	i := slices.IndexFunc(rs, func(r Row) bool { return r.ID == id })
	if i < 0 {
		return p, nursery.ErrNotFound
	}
	f, err := s.Facts(ctx, snapshot.Growing, snapshot.Piles)
	if err != nil {
		return p, err
	}
	south, err := q.South(ctx)
	if err != nil {
		return p, err
	}
	r := rs[i]
	p = RowPage{Row: r, Facts: f, Place: Place(r), Plants: Plants(r), Laid: LaidOut(r), Soil: s.SoilOf(r), Next: 1, At: reached(r)}
	p.Backward = rows.Backward(nth(rs, i))
	p.Side = SideOf(r, f.Answers(), south, p.Backward)
	for _, x := range r.Stands {
		p.Next = max(p.Next, x.Last+1)
	}
	for _, x := range p.Laid {
		if x.Open {
			p.Open = append(p.Open, x)
		}
	}
	n := outlook.NursingOf(f)
	for _, b := range n.Beds(n.All()) {
		if strings.EqualFold(b.Place, p.Place) {
			p.Bed = b
		}
	}
	p.Lots = s.toStand(f, rs)
	return p, nil
}

// OnCard says where along its row an open tag stands and on which side it is budded; "" where its
// stems stand in no row of a field.
func (s *Stage) OnCard(ctx context.Context, code string) (string, error) {
	q := s.DB.Q()
	rs, err := q.FieldRows(ctx)
	if err != nil {
		return "", err
	}
	code = nursery.CleanCode(code)
	for i, r := range rs {
		for _, x := range LaidOut(r) {
			if x.Code != code || x.Stretch.First == 0 {
				continue
			}
			south, err := q.South(ctx)
			if err != nil {
				return "", err
			}
			f, err := s.Facts(ctx)
			if err != nil {
				return "", err
			}
			back := rows.Backward(nth(rs, i))
			d := SideOf(r, f.Answers(), south, back)
			return words.RowOnCard(Place(r), x.Stretch.First, x.Stretch.Last, back, words.RowSide(d.Side, d.Bearing, d.Any, d.NoWind,
				d.Windward)), nil
		}
	}
	return "", nil
}

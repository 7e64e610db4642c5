package rows

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/benchday"
	"unionknot/internal/core/rows"
	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
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

var knots = map[Kind][]aftercare.Name{TapeOff: {aftercare.Untie, aftercare.LoosenTie}, HeadBack: {aftercare.HeadBack}, Lift: {aftercare.Lift}}

// How many stems one does in an hour along a row. House default.
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

// CutShare is the part of a bud's time that goes to cutting and setting it. House default.
const CutShare = 0.6

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
	Verdict  string
	By       string // the technique that it waits for
	At       int    // plant at which the work stands
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
	Alone  float64 // the same people, each for themselves
	Hours  float64 // usable a day
	Stems  int
	Late   int
	Lots   []store.Lot // that stand in no row yet and could
}

// Rows gathers the rows, in their turn for a kind of work.
func (s *Stage) Rows(ctx context.Context, kind Kind, crew Crew) (p Page, err error) {
	if !slices.Contains(Kinds, kind) {
		kind = Bud
	}
	if crew.Budders < 1 || crew.Budders > 40 || crew.Wrappers < 0 || crew.Wrappers > 40 || crew.HoursA+crew.HoursB <= 0 || crew.HoursA > 12 || crew.HoursB > 12 {
		row := crew.Row
		crew = UsualCrew
		crew.Row = row
	}
	p.Kind, p.Crew = kind, crew
	p.Hours = benchday.Usable(crew.HoursA) + benchday.Usable(crew.HoursB)
	rs, err := s.DB.Q().FieldRows(ctx)
	if err != nil {
		return p, err
	}
	f, err := s.Facts(ctx, snapshot.Growing, snapshot.Rest, snapshot.Piles, snapshot.Tags)
	if err != nil {
		return p, err
	}
	p.Facts = f
	south, err := s.DB.Q().South(ctx)
	if err != nil {
		return p, err
	}
	beds := map[string]outlook.Bed{}
	if kind != Bud {
		n := outlook.NursingOf(f)
		for _, b := range n.Beds(n.All()) {
			beds[strings.ToLower(b.Place)] = b
		}
	}
	waits := map[string]int{}
	for _, r := range f.Rest {
		waits[r.Lot] += r.N
	}
	at := rows.Crew{Hours: p.Hours}
	var works []rows.Work
	lines := map[string]Line{}
	for i, r := range rs {
		l := Line{Row: r, Place: Place(r), Plants: Plants(r), Soil: s.SoilOf(r)}
		l.Backward = rows.Backward(nth(rs, i))
		l.Side = SideOf(r, f.Answers(), south, l.Backward)
		if r.ID == crew.Row {
			at.Field, at.At = r.Field, r.Number
		}
		for _, t := range r.Tags {
			l.Budded += t.Tied
			if t.Open {
				l.ToBud += max(0, t.Planned-t.Tied)
			}
		}
		for _, x := range r.Stands {
			l.ToBud += waits[x.Lot]
			l.Unasked += x.Free
		}
		l.At = reached(r)
		w := rows.Work{Row: l.Place, Field: r.Field, Number: r.Number, Soil: l.Soil}
		if kind == Bud {
			s.budding(f, &l, &w, crew)
		} else {
			steps(beds[strings.ToLower(l.Place)], &w, kind, crew)
		}
		lines[l.Place] = l
		if w.Stems > 0 {
			works = append(works, w)
		}
		if n := len(p.Fields); n == 0 || !strings.EqualFold(p.Fields[n-1].Name, r.Field) {
			p.Fields = append(p.Fields, Field{Name: r.Field})
		}
		x := &p.Fields[len(p.Fields)-1]
		x.Rows = append(x.Rows, l)
	}
	for _, t := range rows.Order(works, f.Today, at, rows.Asks{Slip: kind == Bud, Lift: kind == Lift}) {
		l := lines[t.Row]
		l.Turn = t
		p.Turns = append(p.Turns, l)
		p.Stems += t.Stems
		p.Late += t.LateStems
	}
	for _, t := range p.Turns {
		if t.Rate > 0 {
			p.AnHour, p.ADay = t.Rate, t.Rate*p.Hours
			p.Alone = t.Rate
			if kind == Bud && crew.Wrappers > 0 {
				team := rows.Team{Budders: crew.Budders, Wrappers: crew.Wrappers}.Pace(1, CutShare, 1)
				p.Alone = t.Rate / team * float64(crew.Budders+crew.Wrappers)
			}
			break
		}
	}
	p.Lots = s.toStand(f, rs)
	return p, nil
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
	for _, g := range r.Gaps {
		out = append(out, g.At)
	}
	return out
}

// budding says how many stems of a row wait for buds, by what and until when.
func (s *Stage) budding(f *snapshot.Snapshot, l *Line, w *rows.Work, crew Crew) {
	w.Stems = l.ToBud
	if l.ToBud == 0 {
		return
	}
	by, wood, buds, genus := "", season.RipeGreen, 1, ""
	for _, t := range l.Tags {
		if t.Open {
			by, wood, buds = t.Technique, t.Wood, max(1, t.Buds)
		}
	}
	for _, x := range l.Stands {
		genus = x.Genus
		for _, r := range f.Rest {
			if by == "" && r.Lot == x.Lot {
				by, buds = r.Technique, max(1, r.Buds)
				if b, ok := f.Bundle(r.Bundle); ok {
					wood = b.State
				}
			}
		}
	}
	t, ok := f.Technique(by)
	if !ok {
		return
	}
	l.By = t.Name
	w.Rate = rows.Team{Budders: crew.Budders, Wrappers: crew.Wrappers}.Pace(t.RatePerHour, CutShare, buds)
	cal := f.Around(f.Genus(genus).SeasonGroup)
	st := t.Standing(cal, []string{wood}, technique.InRow, f.Today)
	l.Verdict = st.Verdict
	w.Opens, w.Closes = time.Time{}, st.Until
	if st.Verdict == technique.Shut {
		w.Opens, w.Closes = st.Opens, time.Time{}
		if st.Opens.IsZero() { // not again within reach
			w.Closes = f.Today.AddDate(0, 0, -1)
		} else {
			w.Closes = t.Standing(cal, []string{wood}, technique.InRow, st.Opens).Until
		}
	}
	if st.Verdict == technique.Best {
		w.BestFrom, w.Best = f.Today, f.Today
	}
}

// steps says how many trees of a row wait for a step.
func steps(b outlook.Bed, w *rows.Work, kind Kind, crew Crew) {
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
	w.Rate = perHour[kind] * float64(crew.Budders+crew.Wrappers)
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

// TagInRow is where in a row a tag stands, for its card; ok is false where it stands in none.
func (s *Stage) TagInRow(ctx context.Context, code string) (r Row, at Laid, ok bool, err error) {
	q := s.DB.Q()
	t, err := q.TagByCode(ctx, nursery.CleanCode(code))
	if err != nil {
		return r, at, false, err
	}
	r, err = q.RowOfTag(ctx, t.ID)
	if errors.Is(err, nursery.ErrNotFound) {
		return r, at, false, nil
	} else if err != nil {
		return r, at, false, err
	}
	for _, x := range LaidOut(r) {
		if x.Code == t.Code {
			return r, x, x.Stretch.First > 0, nil
		}
	}
	return r, at, false, nil
}

package bench

import (
	"cmp"
	"context"
	"crypto/sha256"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/own"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/ways"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// House defaults of what a bench day uses.
const (
	spareShare     = 0.1
	spareLabels    = 2
	restShare      = 1.0 / 6 // of the hours, off the cut
	graftsAWipe    = 25.0
	sealingTieFilm = "film"
)

// Material is something to lay out for a day.
type Material struct {
	Name   string
	Amount string
	For    string
}

// Draw is wood or stock to fetch for a day.
type Draw struct {
	Code, Place string
	What        string
	N           int
	Hands       []string
}

// SheetHand is a hand's part of a day.
type SheetHand struct {
	Name   string
	Tags   []store.Tag
	Grafts int
	Hours  float64 // at the worker's own pace, with rests and their part of making stems ready
}

// Ready is stems of a lot to make ready for a day of work.
type Ready struct {
	Draw
	Form  string
	Hours float64
}

// DaySheet is what a bench day needs, and who does what.
type DaySheet struct {
	Day       time.Time
	Hands     []SheetHand
	Grafts    int
	Wood      []Draw
	Stock     []Draw  // to fetch
	Walk      []Draw  // stems in the row, worked where they stand, in walking order
	Ready     []Ready // stems of the next day of work to make ready on this one
	ReadyFor  time.Time
	ReadyH    float64 // hours of that
	Materials []Material
	Tags      []store.Tag
	Back, On  time.Time
}

// Day gathers the sheet of a bench day.
func (s *Stage) Day(ctx context.Context, day time.Time) (DaySheet, error) {
	q := s.DB.Q()
	d := DaySheet{Day: day, Back: day.AddDate(0, 0, -1), On: day.AddDate(0, 0, 1)}
	tags, err := q.Tags(ctx, store.Which{Day: day, All: true})
	if err != nil {
		return d, err
	}
	f, err := s.Facts(ctx)
	if err != nil {
		return d, err
	}
	rate := map[string]float64{}
	for _, t := range f.Techniques {
		rate[t.Key] = t.RatePerHour
	}
	pace := map[string]float64{}
	for _, h := range outlook.HandsOf(f) {
		pace[h.Person.Name] = h.Speed.Mean
	}
	slices.SortStableFunc(tags, func(a, b store.Tag) int {
		return cmp.Or(
			strings.Compare(a.Worker, b.Worker),
			a.Half-b.Half,
			strings.Compare(a.Batch, b.Batch),
			strings.Compare(a.Lot, b.Lot),
			strings.Compare(a.Bundle, b.Bundle),
		)
	})
	d.Tags = tags
	classes := f.Classes()
	for _, t := range tags {
		name := t.Worker
		if classes[t.WorkerID] { // a class has one sheet, whose tags say whose they are
			p, _ := f.Person(t.WorkerID)
			name = p.Name
		}
		if n := len(d.Hands); n == 0 || d.Hands[n-1].Name != name {
			d.Hands = append(d.Hands, SheetHand{Name: name})
		}
		h := &d.Hands[len(d.Hands)-1]
		h.Tags, h.Grafts = append(h.Tags, t), h.Grafts+t.Planned
		if p := pace[t.Worker]; p > 0 {
			h.Hours += (float64(t.Joins(t.Planned))/math.Max(1, rate[t.Technique]*p) + supply.PrepareHours(t.LotForm,
				t.Planned)/p) / (1 - restShare)
		}
		d.Grafts += t.Planned
		if t.FinishedAt == nil {
			d.Wood = drawn1(d.Wood, t.Bundle, t.BundlePlace, t.Variety, t.Joins(t.Planned-t.Tied), name)
			if supply.InGround(t.LotForm) {
				d.Walk = drawn1(d.Walk, t.Lot, t.LotPlace, t.StockType, t.Planned-t.Tied, name)
			} else {
				d.Stock = drawn1(d.Stock, t.Lot, t.LotPlace, t.StockType, t.Planned-t.Tied, name)
			}
		}
	}
	byPlace := func(a, b Draw) int {
		return cmp.Or(strings.Compare(a.Place, b.Place), strings.Compare(a.Code, b.Code))
	}
	slices.SortFunc(d.Wood, byPlace)
	slices.SortFunc(d.Stock, byPlace)
	slices.SortFunc(d.Walk, func(a, b Draw) int {
		return cmp.Or(outlook.Natural(a.Place, b.Place), outlook.Natural(a.Code, b.Code))
	})
	d.materials(f.Settings)
	return d, s.ready(ctx, q, &d)
}

// ready lists the stems to make ready for the next day on which tags stand.
func (s *Stage) ready(ctx context.Context, q store.Q, d *DaySheet) error {
	next, err := q.NextTags(ctx, d.Day)
	if err != nil {
		return err
	}
	var ds []Draw
	forms := map[string]string{}
	for _, t := range next {
		if t.FinishedAt != nil {
			continue
		}
		d.ReadyFor = t.Day
		forms[t.Lot] = t.LotForm
		ds = drawn1(ds, t.Lot, t.LotPlace, t.StockType, t.Planned-t.Tied, t.Worker)
	}
	slices.SortFunc(ds, func(a, b Draw) int { return cmp.Or(outlook.Natural(a.Place, b.Place), outlook.Natural(a.Code, b.Code)) })
	for _, x := range ds {
		r := Ready{Draw: x, Form: forms[x.Code], Hours: supply.PrepareHours(forms[x.Code], x.N)}
		d.Ready, d.ReadyH = append(d.Ready, r), d.ReadyH+r.Hours
	}
	return nil
}

func drawn1(ds []Draw, code, place, what string, n int, hand string) []Draw {
	if n <= 0 {
		return ds
	}
	i := slices.IndexFunc(ds, func(d Draw) bool { return d.Code == code })
	if i < 0 {
		i, ds = len(ds), append(ds, Draw{Code: code, Place: place, What: what})
	}
	ds[i].N += n
	if !slices.Contains(ds[i].Hands, hand) {
		ds[i].Hands = append(ds[i].Hands, hand)
	}
	return ds
}

// materials lists what to lay out, with a tenth to spare.
func (d *DaySheet) materials(s *snapshot.Settings) {
	h := s.Answers()
	of := func(key string) float64 { return s.Materials[key].Amount }
	ties, names, pots, wax, tags := map[string]int{}, map[string]string{}, 0, 0, 0
	grafts, film, hoods := 0, 0, 0
	for _, t := range d.Tags {
		if t.FinishedAt != nil {
			continue
		}
		n := t.Planned - t.Tied
		ties[t.Tie] += t.Joins(n)
		names[t.Tie] = t.TieName
		grafts, tags = grafts+n, tags+1
		switch tech := own.Base(t.Technique); {
		case tech == "chip-bud" || tech == "t-bud":
			if h.BudCovered() && own.Base(t.Tie) != sealingTieFilm {
				film += t.Joins(n)
			}
		case h.Seal() == ways.FilmOver && own.Base(t.Tie) != sealingTieFilm:
			film += n
		case h.Seal() == ways.BrushedWax:
			wax += n
		case h.Seal() == ways.TapeAndHood:
			hoods += n
		}
		if own.Base(t.Healing) == ways.PotAtOnce {
			pots += n
		}
	}
	if grafts == 0 {
		return
	}
	more := func(x float64) float64 { return math.Ceil(x * (1 + spareShare)) }
	var keys []string
	for k := range ties {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	add := func(name, amount, why string, args ...any) {
		d.Materials = append(d.Materials, Material{name, amount, fmt.Sprintf(why, args...)})
	}
	for _, k := range keys {
		u := s.Materials["tie:"+k]
		each := u.Unit
		if u.Amount == 1 {
			each = strings.TrimSuffix(each, "s")
		}
		add(
			words.Capital(names[k]),
			fmt.Sprintf("%.0f %s", more(float64(ties[k])*u.Amount), u.Unit),
			words.NGraftsNXEach,
			ties[k],
			u.Amount,
			each,
		)
	}
	if wax > 0 {
		add(
			"Sealing wax",
			fmt.Sprintf("%.0f g", more(float64(wax)*of("wax"))),
			words.NGraftsWaterBathNever,
			wax,
		)
	}
	if film > 0 {
		d.Materials = append(d.Materials, Material{words.FilmOverUnion, fmt.Sprintf("%.1f m", more(float64(film)*of("film over")*10)/10),
			words.FilmFor(film, of("film over"))})
	}
	if hoods > 0 {
		d.Materials = append(d.Materials, Material{words.Hoods, fmt.Sprintf("%.0f", more(float64(hoods)*of("hood"))),
			words.HoodsFor(hoods)})
	}
	name, amount, why := words.Blades(h, grafts, len(d.Hands), of("blade"))
	d.Materials = append(d.Materials, Material{name, amount, why})
	add(
		words.AlcoholForWiping,
		fmt.Sprintf("%.0f ml", more(float64(grafts)/graftsAWipe*of("alcohol"))),
		words.AWipeEachTagAway,
	)
	add("Labels", fmt.Sprintf("%.0f", math.Ceil(of("label")*float64(tags))+spareLabels), words.NATagNTags, words.Rounded(of("label")), tags)
	if pots > 0 {
		add("Pots", fmt.Sprintf("%.0f", more(float64(pots)*of("pot"))), words.NGraftsGoStraightTo+words.UnionHeight(h), pots)
	}
}

// Keyed is one line of a paper sheet: what a hand wrote of a tag.
type Keyed struct {
	Code                            string
	Tied, SpoiledStock, SpoiledWood int
	Dropped, SetAside               int
	Finish                          bool
}

func (k Keyed) any() bool {
	return k.Tied+k.SpoiledStock+k.SpoiledWood+k.Dropped+k.SetAside > 0 || k.Finish
}

// taps are what a line says, as taps with ids that are the same each time.
func (k Keyed) taps(once string) []Tap {
	var taps []Tap
	for _, x := range []struct {
		kind string
		n    int
	}{{"tied", k.Tied}, {"spoiled stock", k.SpoiledStock}, {"spoiled wood", k.SpoiledWood}, {"dropped", k.Dropped},
		{"set aside", k.SetAside}} {
		if x.n > 0 {
			taps = append(taps, Tap{ID: keyOf(once, k.Code, x.kind), Kind: x.kind, N: x.n})
		}
	}
	if k.Finish {
		taps = append(taps, Tap{ID: keyOf(once, k.Code, "finish"), Kind: "finish", N: 1})
	}
	return taps
}

// KeyDay keeps a paper sheet: each line as the taps its hand would have made.
// once is the sheet's own key, so that a sheet sent twice counts once. Lines
// that cannot be are named, and nothing of the sheet is kept then.
func (s *Stage) KeyDay(ctx context.Context, a nursery.Actor, once string, lines []Keyed) (int, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return 0, err
	}
	if !nursery.UUIDPattern.MatchString(once) {
		return 0, nursery.Problem{Field: "", Says: words.LoadTheSheetAnewAnd}
	}
	var ps nursery.Problems
	var codes, first []string
	for i := range lines {
		if lines[i].Code = nursery.CleanCode(lines[i].Code); lines[i].any() {
			codes, first = append(codes, lines[i].Code), append(first, lines[i].taps(once)[0].ID)
		}
	}
	q := s.DB.Q()
	sent, err := q.TalliesKnown(ctx, first)
	if err != nil {
		return 0, err
	}
	tags, err := q.TagsByCode(ctx, codes)
	if err != nil {
		return 0, err
	}
	for _, k := range lines {
		if !k.any() || slices.Contains(sent, k.taps(once)[0].ID) {
			continue // sent before: what was kept is kept, and the rest follows
		}
		i := slices.IndexFunc(tags, func(t store.Tag) bool { return t.Code == k.Code })
		if i < 0 {
			ps.Add("tied-"+k.Code, words.ThereIsNoTagX, k.Code)
			continue
		}
		switch t := tags[i]; {
		case t.FinishedAt != nil:
			ps.Add("tied-"+k.Code, words.XIsFinishedAlreadyCorrect, t.Code)
		case min(k.Tied, k.SpoiledStock, k.SpoiledWood, k.Dropped, k.SetAside) < 0:
			ps.Add("tied-"+k.Code, words.ACountIsNotBelow)
		case max(k.Tied, k.SpoiledStock, k.SpoiledWood, k.Dropped, k.SetAside) > 1000:
			ps.Add("tied-"+k.Code, words.NoTagHasSoMany)
		case t.Tied+k.Tied > t.Planned:
			ps.Add("tied-"+k.Code, words.XHoldsNGraftsAnd, t.Code, t.Planned, t.Tied, k.Tied)
		}
	}
	if err := ps.Err(); err != nil {
		return 0, err
	}
	n := 0
	for _, k := range lines {
		if !k.any() {
			continue
		}
		if _, err := s.Tap(ctx, a, k.Code, k.taps(once)); err != nil {
			return n, fmt.Errorf("tag %s: %w", k.Code, err)
		}
		n++
	}
	return n, nil
}

// keyOf makes a tap's id from the sheet's, the same each time.
func keyOf(once, code, kind string) string {
	b := sha256.Sum256([]byte(once + " " + code + " " + kind))
	b[6], b[8] = b[6]&0x0f|0x40, b[8]&0x3f|0x80
	return fmt.Sprintf("%x-%x-%x-%x-%x", b[:4], b[4:6], b[6:8], b[8:10], b[10:16])
}

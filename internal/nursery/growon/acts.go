package growon

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/season"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Act is one thing done on a walk, as the device sends it: with an id of its own, so
// that sent twice it counts once, and how long before sending it was done.
type Act struct {
	ID    string `json:"id"`
	Kind  string `json:"kind"` // done, dismissed, lost, sold, planted, returned, below, moved, round, undo
	Knot  string `json:"knot,omitempty"`
	Items []Item `json:"items,omitempty"`
	N     int    `json:"n,omitempty"` // trees lost, sold, planted or below the grade
	Cause string `json:"cause,omitempty"`
	Place string `json:"place,omitempty"` // where to, with a step that moves, or a move
	Form  string `json:"form,omitempty"`  // pot, row, lifted, box
	Buyer string `json:"buyer,omitempty"`
	// Order is what trees sold or planted are delivered to; NoOrder; "": the tags' own, unless the buyer is another.
	Order  string `json:"order,omitempty"`
	Reason string `json:"reason,omitempty"`
	Round  int64  `json:"round,omitempty"`
	Undoes string `json:"undoes,omitempty"`
	On     string `json:"on,omitempty"` // the day it was done, where it is not the day of AgoMS
	AgoMS  int64  `json:"ago_ms"`
}

// Item is a tag, with the number of the step that is done on it.
type Item struct {
	Code  string `json:"code"`
	N     int    `json:"n,omitempty"`
	Trees int    `json:"trees,omitempty"` // of this tag, where an act is of several
}

// Refused is an act that could not be kept, and why. Ask says that with a reason it
// can.
type Refused struct {
	ID  string `json:"id"`
	Why string `json:"why"`
	Ask bool   `json:"ask,omitempty"`
}

// Acted is what became of acts: every id in Safe is on disk.
type Acted struct {
	Safe    []string  `json:"safe"`
	Refused []Refused `json:"refused"`
	Notes   []string  `json:"notes"` // what was done already, and by whom
}

// Kinds of acts.
const (
	Done    = "done"
	Lost    = "lost"
	Sold    = "sold"
	Planted = "planted"
	Below   = "below" // the grade: it leaves the tag, its graft took
	// Returned trees came back from a buyer: they stand on their tag again.
	Returned = "returned"
	// Dismissed is a step that is not to be done, with the reason.
	Dismissed = "dismissed"
	Moved     = "moved"
	RoundOf   = "round"
	Undo      = "undo"
)

// NoOrder says that trees went to a buyer who has no order here.
const NoOrder = "-"

const (
	mostActs  = 200
	mostItems = 2000
	// longestAgo is how long a device may have waited to send what was done.
	longestAgo = 60 * 24 * time.Hour
)

// ask is a refusal that a reason overcomes.
type ask struct{ nursery.Problem }

// Do keeps acts in the order given, each for itself: one that cannot be does not hold
// up the others.
func (s *Stage) Do(ctx context.Context, a nursery.Actor, acts []Act) (Acted, error) {
	out := Acted{Safe: []string{}, Refused: []Refused{}, Notes: []string{}}
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return out, err
	}
	if len(acts) > mostActs {
		return out, nursery.Problem{Field: "", Says: words.TooManyAtOnce(mostActs)}
	}
	for _, act := range acts {
		note, err := s.one(ctx, a, act)
		var asks ask
		var bad nursery.Problem
		switch {
		case errors.As(err, &asks):
			out.Refused = append(out.Refused, Refused{act.ID, asks.Says, true})
		case errors.As(err, &bad):
			out.Refused = append(out.Refused, Refused{ID: act.ID, Why: bad.Says})
		case err != nil:
			return out, err
		default:
			out.Safe = append(out.Safe, act.ID)
			if note != "" {
				out.Notes = append(out.Notes, note)
			}
		}
	}
	return out, nil
}

func problem(says string) error { return nursery.Problem{Field: "", Says: says} }

func asking(says string) error { return ask{nursery.Problem{Field: "reason", Says: says}} }

// one keeps one act, and gives what is to be told of it.
func (s *Stage) one(ctx context.Context, a nursery.Actor, act Act) (note string, err error) {
	switch {
	case !nursery.UUIDPattern.MatchString(act.ID) || act.Undoes != "" && !nursery.UUIDPattern.MatchString(act.Undoes):
		return "", problem(words.ReloadWalk)
	case act.AgoMS < 0:
		return "", problem(words.DayAhead)
	case len(act.Items) > mostItems:
		return "", problem(words.TooManyAtOnce(mostItems))
	}
	act.Reason = strings.Join(strings.Fields(act.Reason), " ")
	act.Place = strings.Join(strings.Fields(act.Place), " ")
	act.Buyer = strings.Join(strings.Fields(act.Buyer), " ")
	if len([]rune(act.Reason)) > 300 || len([]rune(act.Place)) > 80 || len([]rune(act.Buyer)) > 120 {
		return "", problem(words.TooLong)
	}
	err = s.DB.Tx(ctx, func(q store.Q) error {
		note = ""
		w := &work{s: s, q: q, a: a, act: act, now: s.Now()}
		w.at = w.now.Add(-min(longestAgo, time.Duration(act.AgoMS)*time.Millisecond))
		w.on = season.DayOf(w.at.Local())
		if err := w.onDay(); err != nil {
			return err
		}
		if known, err := q.ActKnown(ctx, act.ID); err != nil || known {
			return err // sent twice
		}
		switch act.Kind {
		case Undo:
			return w.undo(ctx)
		case RoundOf:
			return w.round(ctx)
		}
		if err := w.hold(ctx); err != nil {
			return err
		}
		var err error
		switch act.Kind {
		case Done:
			note, err = w.done(ctx)
		case Dismissed:
			err = w.dismiss(ctx)
		case Lost, Sold, Planted, Below, Returned:
			err = w.trees(ctx)
		case Moved:
			err = w.move(ctx)
		default:
			err = problem(words.ReloadWalk)
		}
		return err
	})
	if errors.Is(err, store.ErrTaken) { // somebody else was first, this moment
		return "", problem(words.DoneMeanwhile)
	}
	return note, nursery.Short(err, "", words.NotSoMany)
}

// onDay takes the day that an act names: not one ahead, nor one more than two years back.
func (w *work) onDay() error {
	if w.act.On == "" {
		return nil
	}
	day, err := time.ParseInLocation(time.DateOnly, w.act.On, time.Local)
	switch {
	case err != nil:
		return nursery.Problem{Field: "on", Says: words.NoDay}
	case season.DayOf(day).After(season.DayOf(w.now.Local())):
		return nursery.Problem{Field: "on", Says: words.DayAhead}
	case day.Before(w.now.AddDate(-2, 0, 0)):
		return nursery.Problem{Field: "on", Says: words.DayTooFarBack}
	}
	if !season.DayOf(day).Equal(w.on) {
		w.at = day.Add(12 * time.Hour)
		w.on = season.DayOf(day)
	}
	return nil
}

// work is one act under its locks.
type work struct {
	s    *Stage
	q    store.Q
	a    nursery.Actor
	act  Act
	now  time.Time
	at   time.Time // when it was done
	on   time.Time // its day
	tags []outlook.Growing
	n    *outlook.Nursing
}

// hold locks the tags and dates what follows them.
func (w *work) hold(ctx context.Context) error {
	var codes []string
	for _, i := range w.act.Items {
		codes = append(codes, nursery.CleanCode(i.Code))
	}
	if len(codes) == 0 {
		return problem(words.ChooseTags)
	}
	if err := w.q.LockTags(ctx, codes); err != nil {
		return err
	}
	gs, err := w.q.GrowTagsByCode(ctx, codes)
	if err != nil {
		return err
	}
	if len(gs) < len(codes) {
		return problem(words.NotGrowing)
	}
	f, err := w.s.FactsIn(ctx, w.q, snapshot.Places)
	if err != nil {
		return err
	}
	with := *f
	with.Growing = gs
	w.n = outlook.NursingOf(&with)
	w.tags = w.n.All()
	return nil
}

// numberOf is the number of the step on a tag.
func (w *work) numberOf(code string) int {
	i := slices.IndexFunc(w.act.Items, func(x Item) bool { return nursery.CleanCode(x.Code) == code })
	return w.act.Items[i].N
}

// done keeps a step on every tag on which it is not done yet.
func (w *work) done(ctx context.Context) (note string, err error) {
	name, ok := aftercare.NameOf(w.act.Knot)
	switch {
	case !ok || name == aftercare.FitToSell:
		return "", problem(words.NoSuchStep)
	case words.LookIs(name):
		return "", problem(words.LooksAreCounted)
	}
	var steps []store.Step
	var ids []int64
	var already []string
	day := aftercare.DayOf(w.on)
	for _, g := range w.tags {
		n := w.numberOf(g.Code)
		if g.Standing == 0 {
			return "", problem(words.NothingStands(g.Code))
		}
		if slices.ContainsFunc(g.Made.Done, func(d aftercare.Done) bool { return d.Knot == name && d.N == n }) {
			already = append(already, g.Code)
			continue
		}
		step := store.Step{Act: w.act.ID, TagID: g.ID, Knot: name.String(), N: n, On: w.on, Reason: w.act.Reason, Place: w.act.Place,
			Trees: g.Standing, PersonID: w.a.ID, At: w.at}
		if day < g.Made.Finished {
			return "", problem(words.BeforeItsGraft(g.Code))
		}
		if !name.Seen() {
			i := slices.IndexFunc(g.Plan.Knots, func(k aftercare.Knot) bool { return k.Name == name && k.N == n })
			if i < 0 {
				return "", problem(words.NotItsStep(g.Code, name, n))
			}
			k := g.Plan.Knots[i]
			switch {
			case name == aftercare.Cane && slices.ContainsFunc(g.Plan.Knots, func(x aftercare.Knot) bool {
				return x.Name == aftercare.Pot
			}):
				return "", problem(words.PotFirst(g.Code))
			case name == aftercare.Pot && w.act.Place == "":
				return "", nursery.Problem{Field: "place", Says: words.PotWhere}
			}
			if day < k.From && w.act.Reason == "" {
				return "", asking(words.BeforeItsTime(name, n, k.Window, k.Hangs))
			}
			step.LateDays = max(0, int(day-k.By))
		}
		steps, ids = append(steps, step), append(ids, g.ID)
	}
	if len(already) > 0 {
		by, err := w.q.DoneBy(ctx, already, name.String(), w.numberOf(already[0]))
		if err != nil {
			return "", err
		}
		if len(by) > 0 {
			note = words.DoneAlready(name, by[0].Person, by[0].On, len(already))
		}
	}
	if len(steps) == 0 {
		return note, nil
	}
	kept, err := w.q.AddSteps(ctx, steps)
	if err != nil {
		return "", err
	}
	if kept < len(steps) { // one was done in the same moment: whoever was first did it
		note = words.DoneMeanwhile
	}
	if form := formAfter(name); w.act.Place != "" && form != "" {
		if err := w.q.MoveTags(ctx, ids, w.act.Place, cmp.Or(w.act.Form, form), w.a.ID, w.at); err != nil {
			return "", err
		}
	}
	return note, w.changed(ctx, words.KnotSays(name, 0))
}

// dismiss notes that a step is not to be done, and why.
func (w *work) dismiss(ctx context.Context) error {
	name, ok := aftercare.NameOf(w.act.Knot)
	switch {
	case !ok || name == aftercare.FitToSell || name.Seen():
		return problem(words.NoSuchStep)
	case words.LookIs(name):
		return problem(words.LooksAreCounted)
	case w.a.Role != nursery.Propagator:
		return nursery.ErrNotAllowed
	case w.act.Reason == "":
		return asking(words.DismissWhy)
	}
	var steps []store.Step
	for _, g := range w.tags {
		n := w.numberOf(g.Code)
		if !slices.ContainsFunc(g.Plan.Knots, func(k aftercare.Knot) bool { return k.Name == name && k.N == n }) {
			return problem(words.NotItsStep(g.Code, name, n))
		}
		steps = append(steps, store.Step{Act: w.act.ID, TagID: g.ID, Knot: name.String(), N: n, On: w.on, Reason: w.act.Reason,
			Trees: g.Standing, PersonID: w.a.ID, At: w.at, Dismiss: true})
	}
	if _, err := w.q.AddSteps(ctx, steps); err != nil {
		return err
	}
	return w.changed(ctx, words.KnotSays(name, 0)+", dismissed")
}

// formAfter is as what trees stand after a step that moves them; "" for one that does
// not.
func formAfter(k aftercare.Name) string {
	switch k {
	case aftercare.Pot:
		return "pot"
	case aftercare.Lift:
		return "lifted"
	}
	return ""
}

// move notes where tags stand now.
func (w *work) move(ctx context.Context) error {
	if w.act.Place == "" {
		return problem(words.SayHealPlace)
	}
	if w.act.Form != "" && !slices.Contains([]string{"box", "pot", "row", "lifted"}, w.act.Form) {
		return problem(words.ReloadWalk)
	}
	ids := make([]int64, len(w.tags))
	for i, g := range w.tags {
		k := slices.IndexFunc(w.act.Items, func(x Item) bool { return nursery.CleanCode(x.Code) == g.Code })
		if n := w.act.Items[k].Trees; n != 0 && n != g.Standing {
			return problem(words.MovesWhole(g.Code, g.Standing))
		}
		ids[i] = g.ID
	}
	if err := w.q.MoveTags(ctx, ids, w.act.Place, w.act.Form, w.a.ID, w.at); err != nil {
		return err
	}
	return w.changed(ctx, "stands in "+w.act.Place)
}

// round notes that a round of a place was made.
func (w *work) round(ctx context.Context) error {
	if err := w.q.AddRoundDone(ctx, w.act.ID, w.act.Round, w.a.ID, w.at); err != nil {
		return problem(words.ReloadWalk)
	}
	return nil
}

// undo takes back what an act did,
// whoever did it.
func (w *work) undo(ctx context.Context) error {
	codes, err := w.q.ActTags(ctx, w.act.Undoes)
	if err != nil {
		return err
	}
	if err := w.q.LockTags(ctx, codes); err != nil {
		return err
	}
	if w.a.Role != nursery.Propagator {
		by, err := w.q.ActBy(ctx, w.act.Undoes)
		if err != nil && !errors.Is(err, nursery.ErrNotFound) {
			return err
		} else if err == nil && by != w.a.ID {
			return problem(words.NotYourAct)
		}
	}
	was, err := w.q.UndoAct(ctx, w.act.Undoes, w.now)
	if err != nil {
		return err
	}
	if !was {
		return problem(words.NothingToUndo)
	}
	if back, err := w.q.MoreBackThanSent(ctx, codes); err != nil {
		return err
	} else if len(back) > 0 {
		return problem(words.CameBackSince(back[0]))
	}
	for _, c := range codes {
		w.act.Items = append(w.act.Items, Item{Code: c})
	}
	return w.changed(ctx, "taken back")
}

// changed writes the record of changes.
func (w *work) changed(ctx context.Context, doing string) error {
	var cs []nursery.Change
	for _, i := range w.act.Items {
		cs = append(cs, nursery.Change{What: "tag", Ref: nursery.CleanCode(i.Code), Doing: doing, Before: nil, After: w.act})
	}
	return w.s.ChangedAll(ctx, w.q, w.a, cs...)
}

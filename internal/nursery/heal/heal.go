package heal

import (
	"cmp"
	"context"
	"errors"
	"fmt"
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

// Looks are the counts made of a tag.
var Looks = aftercare.Looks

// Heal lists tags to count, those due first.
func (s *Stage) Heal(ctx context.Context) (outlook.HealPage, error) {
	f, err := s.Facts(ctx, snapshot.Tags, snapshot.Places)
	if err != nil {
		return outlook.HealPage{}, err
	}
	p := outlook.HealOf(f)
	as, err := s.DB.Q().OpenAmiss(ctx)
	for _, a := range as {
		says, _ := words.Amiss(a.What)
		for i := range p.Places {
			if strings.EqualFold(p.Places[i].Name, a.Place) {
				p.Places[i].Amiss = append(p.Places[i].Amiss, says)
			}
		}
	}
	return p, err
}

// CountedLately lists the tags counted last.
func (s *Stage) CountedLately(ctx context.Context) ([]store.Tag, error) {
	return s.DB.Q().CountedLately(ctx, 30)
}

// CountPage is what the count of a tag shows.
type CountPage struct {
	Tag     store.Tag
	Look    string       // to count now
	Now     *store.Count // the count that stands for that look
	Stood   int          // what is counted: what stood after the count before
	Last    *store.Count // the count before; nil where there is none
	Earlier []store.Count
	Causes  []string
	Of      map[string][]store.CauseCount // by count
	Next    string                        // the next tag due
	Follows []words.Follows               // what comes after, by the house's ways
}

// Count gathers the count of a tag for a look; "" chooses the first look not
// yet made.
func (s *Stage) Count(ctx context.Context, code, look string) (CountPage, error) {
	q := s.DB.Q()
	p := CountPage{Of: map[string][]store.CauseCount{}}
	var err error
	if p.Tag, err = q.TagByCode(ctx, code); err != nil {
		return p, err
	}
	if p.Earlier, err = q.Counts(ctx, p.Tag.ID); err != nil {
		return p, err
	}
	made := map[string]*store.Count{}
	for i, c := range p.Earlier {
		if !c.Replaced {
			made[c.Look] = &p.Earlier[i]
		}
	}
	f, err := s.Facts(ctx, snapshot.Places)
	if err != nil {
		return p, err
	}
	gs, err := q.GrowTagsByCode(ctx, []string{p.Tag.Code}) // none where it is not finished
	if err != nil {
		return p, err
	}
	p.Look = Looks[0]
	if slices.Contains(Looks, look) {
		p.Look = look
	} else if made[Looks[0]] != nil {
		for _, l := range Looks { // the last that was made, unless another is due
			if made[l] != nil {
				p.Look = l
			}
		}
		if len(gs) > 0 {
			p.Look = cmp.Or(outlook.LookDue(f, gs[0]), p.Look)
		}
	}
	p.Now = made[p.Look]
	p.Last, _ = lastBefore(p.Earlier, p.Look)
	stood, err := q.StoodAt(ctx, []int64{p.Tag.ID}, p.Look)
	if err != nil {
		return p, err
	}
	p.Stood = stood[p.Tag.ID]
	causes, err := q.CountCauses(ctx, p.Tag.ID)
	if err != nil {
		return p, err
	}
	for _, c := range causes {
		p.Of[c.CountID] = append(p.Of[c.CountID], c)
	}
	p.Causes = slices.Clone(f.Causes)
	if len(gs) > 0 {
		n := outlook.NursingOf(f)
		made := n.Of(gs[0]).Made
		p.Causes = made.Causes(f.Causes, p.Look)
		p.Follows = outlook.FollowUp(n, gs[0])
	}
	for _, c := range causes { // one that is offered no more can still be put right
		if !slices.Contains(p.Causes, c.Cause) {
			p.Causes = append(p.Causes, c.Cause)
		}
	}
	next, err := q.Tags(ctx, store.Which{Uncounted: true, Limit: 2})
	for _, t := range next {
		if t.Code != code {
			p.Next = t.Code
			break
		}
	}
	return p, err
}

// NewCount is one look at a tag as it was keyed in.
type NewCount struct {
	ID                    string // made by the form; sent twice it counts once
	Look                  string
	Taken, Doubtful, Dead int // stocks; one of whose buds lives is taken
	Both                  int // of those taken, where stocks have two buds, of which both live
	Causes                map[string]int
	Sure                  bool // more alive than stood after the last count, and right
	// Rest is what became of those that stood and are in none of the three: "" asks.
	Rest     string
	Replaces string // the count it corrects, or ""
	// Ago is how long before it came in it was made, kept on a device meanwhile.
	Ago time.Duration
}

// What became of grafts that stood and that a count has in none of its three numbers.
const (
	RestDead = "dead"        // dead, of no known cause
	RestLeft = "not counted" // nobody looked: they still stand
)

// at is when it was made.
func (n NewCount) at(now time.Time) time.Time { return now.Add(-min(max(0, n.Ago), longestAgo)) }

// longestAgo is how long a device may have kept a count.
const longestAgo = 60 * 24 * time.Hour

// KeepCount keeps a look: never more than were tied, and never more causes
// than dead. A correction keeps the earlier count beside it.
func (s *Stage) KeepCount(ctx context.Context, a nursery.Actor, code string, n NewCount) error {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return err
	}
	if !nursery.UUIDPattern.MatchString(n.ID) {
		return nursery.Problem{Field: "", Says: words.LoadThePageAnewAnd}
	}
	if !slices.Contains(Looks, n.Look) {
		return nursery.Problem{Field: "look", Says: words.ChooseFirstLookOrEnd}
	}
	if n.Taken < 0 || n.Doubtful < 0 || n.Dead < 0 || n.Both < 0 {
		return nursery.Problem{Field: "taken", Says: words.ACountIs0Or}
	}
	if n.Rest != "" && n.Rest != RestDead && n.Rest != RestLeft {
		return nursery.Problem{Field: "rest", Says: words.ChooseRest}
	}
	err := s.DB.Tx(ctx, func(q store.Q) error {
		t, err := q.LockTag(ctx, code)
		if err != nil {
			return err
		}
		if t.FinishedAt == nil {
			return nursery.Problem{Field: "", Says: words.ThisTagIsStillAt}
		}
		all, err := q.StoodAt(ctx, []int64{t.ID}, n.Look)
		if err != nil {
			return err
		}
		stood := all[t.ID]
		earlier, err := q.Counts(ctx, t.ID)
		if err != nil {
			return err
		}
		if n.Both > 0 && (t.Buds < 2 || n.Both > n.Taken) {
			return nursery.Problem{Field: "both", Says: words.BothOf(n.Both, n.Taken)}
		}
		known, err := q.Causes(ctx)
		if err != nil {
			return err
		}
		var causes []store.CauseCount
		died := 0
		for _, k := range known {
			switch m := n.Causes[k]; {
			case m < 0:
				return nursery.Problem{Field: "causes", Says: words.ACountIs0Or}
			case m > 0:
				causes = append(causes, store.CauseCount{CountID: n.ID, Cause: k, N: m})
				died += m
			}
		}
		if n.Dead == 0 { // the dead were typed by their causes alone
			n.Dead = died
		}
		if died > n.Dead {
			return nursery.Problem{Field: "causes", Says: fmt.Sprintf(words.TheCausesAddUpTo, died, n.Dead)}
		}
		if n.Taken+n.Doubtful+n.Dead == 0 && n.Rest == "" {
			return nursery.Problem{Field: "taken", Says: words.CountAtLeastOneGraft}
		}
		found, err := addUp(&n, stood, earlier)
		if err != nil {
			return err
		}
		c := store.Count{
			ID:        n.ID,
			TagID:     t.ID,
			Look:      n.Look,
			CountedOn: season.DayOf(n.at(s.Now()).Local()),
			Taken:     n.Taken,
			Doubtful:  n.Doubtful,
			Dead:      n.Dead,
			Stood:     stood,
			Found:     found,
			Buds:      t.Buds,
			Both:      n.Both,
			PersonID:  a.ID,
			At:        n.at(s.Now()),
		}
		var before *store.Count
		if n.Replaces != "" {
			c.ReplacesID = &n.Replaces
			was := earlier
			i := slices.IndexFunc(was, func(w store.Count) bool { return w.ID == n.Replaces && w.Look == n.Look })
			if i < 0 {
				return nursery.Problem{Field: "", Says: words.TheCountToCorrectIs}
			}
			if before = &was[i]; a.Role == nursery.BenchHand && before.PersonID != a.ID {
				return nursery.Problem{Field: "", Says: words.AnothersCount(before.Person)}
			}
			c.CountedOn = before.CountedOn // it is of that day, whenever it is corrected
		}
		kept, err := q.AddCount(ctx, c, causes)
		if err != nil || !kept {
			return err
		}
		if err := s.layAgain(ctx, q, a, t, n.Look, earlier); err != nil {
			return err
		}
		doing := "counted"
		if c.ReplacesID != nil {
			doing = "count corrected"
		}
		return s.Changed(ctx, q, a, "tag", code, doing, before, c)
	})
	if errors.Is(err, store.ErrTaken) {
		return nursery.Problem{
			Field: "",
			Says:  words.SomebodyCountedThisTagWhile,
		}
	}
	return nursery.Short(err, "taken", words.FewerThanWent)
}

// addUp holds a count to what stood: what is in none of the three is asked about, and so are more alive than
// stood. It gives how many an earlier count gave as dead that are alive after all.
func addUp(n *NewCount, stood int, earlier []store.Count) (found int, err error) {
	last, died := lastBefore(earlier, n.Look)
	over := n.Taken + n.Doubtful + n.Dead - stood
	switch {
	case over > 0 && last == nil:
		return 0, nursery.Problem{Field: "taken", Says: words.MoreThanTied(n.Taken, n.Doubtful, n.Dead, stood)}
	case over > 0 && n.Taken+n.Doubtful <= stood:
		return 0, nursery.Problem{Field: "taken", Says: words.MoreThanStood(n.Taken, n.Doubtful, n.Dead, stood, last.CountedOn)}
	case over > died:
		return 0, nursery.Problem{Field: "taken", Says: words.MoreThanDied(n.Taken+n.Doubtful+n.Dead, stood, died)}
	case over > 0 && !n.Sure:
		return 0, nursery.Problem{Field: "sure", Says: words.MoreAlive(n.Taken+n.Doubtful, stood, last.CountedOn)}
	case over < 0 && n.Rest == "":
		return 0, nursery.Problem{Field: "rest", Says: words.RestOf(n.Taken, n.Doubtful, n.Dead, stood)}
	case over < 0 && n.Rest == RestDead:
		n.Dead -= over
	}
	return max(0, over), nil
}

// lastBefore is the last count that stands of those before a look, and how many they all gave as dead.
func lastBefore(cs []store.Count, look string) (last *store.Count, dead int) {
	rank := slices.Index(Looks, look)
	for i, c := range cs {
		k := slices.Index(Looks, c.Look)
		if c.Replaced || k >= rank {
			continue
		}
		dead += c.Dead - c.Found
		if last == nil || k > slices.Index(Looks, last.Look) {
			last = &cs[i]
		}
	}
	return last, dead
}

// layAgain lays the counts made after a look on what stands by it now. One that has more than that is to be
// corrected first.
func (s *Stage) layAgain(ctx context.Context, q store.Q, a nursery.Actor, t store.TagState, look string, cs []store.Count) error {
	for _, l := range Looks[slices.Index(Looks, look)+1:] {
		i := slices.IndexFunc(cs, func(c store.Count) bool { return !c.Replaced && c.Look == l })
		if i < 0 {
			continue
		}
		c := cs[i]
		by, err := q.StoodAt(ctx, []int64{t.ID}, l)
		if err != nil {
			return err
		}
		stood := by[t.ID]
		all, alive := c.Taken+c.Doubtful+c.Dead, c.Taken+c.Doubtful
		found := max(0, all-stood)
		switch {
		case stood == c.Stood:
			continue
		case found > c.Found:
			return nursery.Problem{Field: "taken", Says: words.LaterCountHasMore(c.CountedOn, alive, c.Dead, stood)}
		}
		if err := q.CountAgain(ctx, c.ID, stood, found, a.ID, s.Now()); err != nil {
			return err
		}
	}
	return nil
}

// SetHealPlace says where tags' grafts stand to heal: all of them, or none.
func (s *Stage) SetHealPlace(ctx context.Context, a nursery.Actor, codes []string, place string) error {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return err
	}
	place = strings.Join(strings.Fields(place), " ")
	switch {
	case len(codes) == 0:
		return nursery.Problem{Field: "tag", Says: words.ChooseTags}
	case place == "" || len([]rune(place)) > 80:
		return nursery.Problem{Field: "place", Says: words.SayHealPlace}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if err := q.LockTags(ctx, codes); err != nil {
			return err
		}
		ts, err := q.TagsByCode(ctx, codes)
		if err != nil {
			return err
		}
		if len(ts) < len(codes) {
			return nursery.ErrNotFound
		}
		ids := make([]int64, len(ts))
		done := make([]nursery.Change, len(ts))
		for i, t := range ts {
			ids[i] = t.ID
			done[i] = nursery.Change{What: "tag", Ref: t.Code, Doing: words.StandsToHeal, Before: t.HealPlace, After: place}
		}
		if err := q.MoveTags(ctx, ids, place, "", a.ID, s.Now()); err != nil {
			return err
		}
		return s.ChangedAll(ctx, q, a, done...)
	})
}

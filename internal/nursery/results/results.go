package results

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/take"
	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Groups are what takes are shown by, in order.
var Groups = []string{"worker", "tier", "technique", "lot", "bundle", "variety", "genus", "tie", "healing", "part"}

// ResultLine is one worker's, technique's, lot's or bundle's take.
type ResultLine struct {
	store.Took
	Take      sizing.Interval
	Uncertain bool // too few to say much
	Working   working.Working
	Flag      int          // 1 above, −1 below, where it stands out from how groups differ
	More      []take.Cause // that it lost clearly more to than the others
}

// ResultsPage is what the Results stage shows.
type ResultsPage struct {
	Facts    *snapshot.Snapshot
	From, To time.Time
	Genus    string
	Genera   []string
	Places   []string // where counted tags stood to heal
	OwnOnly  bool     // nobody else's takes are on it
	Hand     bool     // a bench hand looks: costs and advice are not on it
	Later    bool     // takes at the end of the season
	Now      bool     // what lives now or went alive
	All      store.Took
	AllTake  sizing.Interval
	Working  working.Working // of AllTake
	Groups   map[string][]ResultLine
	Counted  map[string]int // how many of each group there are; not all need be shown
	Whole    string         // the group that is shown whole
	Order    []string
	Causes   []store.CauseCount
	Fair     Fair
	Pictures Pictures
	Advice   []Advice
	details  []store.TagDetail
}

// groupLimit is how many lines of each group are shown, unless all of one are
// asked for.
const groupLimit = 24

// uncertainOver is the width of a 90 % range over which a take is marked as
// uncertain. House default.
const uncertainOver = 0.20

// ResultsFilter narrows Results.
type ResultsFilter struct {
	From, To         time.Time
	Genus            string
	Later            bool   // takes at the end of the season, not those of the first look
	Now              bool   // what lives now or went alive
	Whole            string // the group to show whole
	WorkerID         int64  // of whom alone
	Technique, Place string // "" is all
}

// Results sums takes by worker, technique, lot and bundle. A bench hand sees
// their own only. What all see is kept until a count is added; where it takes
// long to add up anew, the sums before are shown meanwhile, and it is said.
func (s *Stage) Results(ctx context.Context, a nursery.Actor, f ResultsFilter) (ResultsPage, error) {
	facts, err := s.Facts(ctx)
	if err != nil {
		return ResultsPage{}, err
	}
	tf := f.filter()
	var p ResultsPage
	behind := false
	if seesOwn(a, facts) {
		tf.WorkerID = a.ID
		p, behind, err = s.ownResults(ctx, facts, tf, f.key())
		p.OwnOnly = true
	} else {
		p, behind, err = s.results.Get(f.key(), resultsMark(facts),
			func() (ResultsPage, error) { return s.resultsOf(ctx, facts, tf) },
			func() (ResultsPage, error) { return s.resultsOf(context.WithoutCancel(ctx), facts, tf) })
	}
	if err != nil {
		return p, err
	}
	p.Facts, p.Whole, p.Later, p.Now = facts, f.Whole, f.Later, f.Now
	all := p.Groups // shared: the page takes what it shows of it
	whole := p
	p.Groups = map[string][]ResultLine{}
	for g, ls := range all {
		if g != f.Whole {
			ls = ls[:min(groupLimit, len(ls))]
		}
		p.Groups[g] = ls
	}
	// Hands are weighed against each other even where only one is shown.
	p.Fair, err = s.fair(ctx, facts, f)
	p.Fair.Behind = p.Fair.Behind || behind
	p.Hand = a.Role == nursery.BenchHand
	if err == nil && !p.Hand {
		whole.Fair = p.Fair
		fate, err := s.Reckon.Fate(ctx, facts)
		if err != nil {
			return p, err
		}
		work := func() ([]Advice, error) { return advise(facts, whole, p.details, fate.Both.Mean()), nil }
		print := fmt.Sprint(facts.Stamp.Takes, " ", facts.Stamp.Settings, " ", facts.Stamp.Grades, " ", p.Fair.Behind)
		if p.Advice, _, err = s.advices.Get(f.key(), print, work, work); err != nil {
			return p, err
		}
	}
	if p.Hand {
		p.Fair.Alone = nil
	}
	return p, err
}

// seesOwn says whether somebody sees nobody's takes but their own: a bench hand, unless the
// house lets them see everybody's.
func seesOwn(a nursery.Actor, f *snapshot.Snapshot) bool {
	return a.Role == nursery.BenchHand && !f.Answers().AllSeen()
}

// key names what is asked.
func (f ResultsFilter) key() string {
	return fmt.Sprint(f.From.Unix(), f.To.Unix(), f.Genus, f.Later, f.Now, f.WorkerID, f.Technique, "/", f.Place)
}

func (f ResultsFilter) filter() store.TakeFilter {
	return store.TakeFilter{From: f.From, To: f.To, Genus: f.Genus, Later: f.Later, Now: f.Now, WorkerID: f.WorkerID,
		Technique: f.Technique,
		Place:     f.Place}
}

// resultsOf adds up what answers to a filter, every group whole.
func (s *Stage) resultsOf(ctx context.Context, f *snapshot.Snapshot, tf store.TakeFilter) (ResultsPage, error) {
	q := s.DB.Q()
	p := ResultsPage{From: tf.From, To: tf.To, Genus: tf.Genus, Groups: map[string][]ResultLine{}, Counted: map[string]int{}, Order: Groups}
	var err error
	if p.Genera, err = q.CountedGenera(ctx); err != nil {
		return p, err
	}
	if p.Places, err = q.CountedPlaces(ctx); err != nil {
		return p, err
	}
	if p.details, err = q.TagDetails(ctx, tf); err != nil {
		return p, err
	}
	died, err := q.TagCauses(ctx, tf)
	if err != nil {
		return p, err
	}
	for _, t := range tookBy(p.details, func(store.TagDetail) (string, string) { return "all", "" }) {
		p.All = t
	}
	prior := priorOf(p.All)
	if p.All.Counted > 0 {
		p.AllTake = sizing.Beta{Alpha: 1, Beta: 1}.And(p.All.Taken, p.All.Counted).Interval90()
		p.Working = working.Working{
			Title:  words.TakeOfAllShown,
			Answer: words.Pct(float64(p.All.Taken) / float64(p.All.Counted)),
			Range:  words.PctRange(p.AllTake),
			Rule:   words.TakeOfAGroup,
			Says:   words.TheLookThatStandsFor,
			Inputs: []working.Input{
				{Name: "Tags counted", Value: fmt.Sprint(p.All.Tags), Source: working.OwnRecords},
				{Name: "Taken", Value: fmt.Sprintf(words.NOfN, p.All.Taken, p.All.Counted), Source: working.OwnRecords},
				{
					Name:   "Doubtful",
					Value:  fmt.Sprint(p.All.Doubtful),
					Source: working.OwnRecords,
				},
				{Name: "Dead", Value: fmt.Sprint(p.All.Dead), Source: working.OwnRecords},
			},
		}
	}
	for _, g := range Groups {
		ts := tookBy(p.details, func(d store.TagDetail) (string, string) { return d.Level(g) })
		p.Counted[g] = len(ts)
		p.Groups[g] = resultLines(ts, prior, p.All, moreThanOthers(causesBy(g, p.details, died), ts))
	}
	p.Causes = causesOf(died)
	p.Pictures, err = s.pictures(ctx, f, tf, p.details, causesBy("tie", p.details, died))
	return p, err
}

// tookBy sums takes by a level of each tag, the most grafts first; "" is no level.
func tookBy(ds []store.TagDetail, level func(store.TagDetail) (key, name string)) []store.Took {
	at := map[string]int{}
	var out []store.Took
	for _, d := range ds {
		key, name := level(d)
		if key == "" {
			continue
		}
		i, ok := at[key]
		if !ok {
			i = len(out)
			at[key], out = i, append(out, store.Took{Key: key, Name: name})
		}
		t := &out[i]
		t.Tags, t.Tied, t.Counted, t.Taken = t.Tags+1, t.Tied+d.Tied, t.Counted+d.Joins, t.Taken+d.Took
		t.Doubtful, t.Dead = t.Doubtful+d.Doubtful, t.Dead+d.Dead
	}
	out = slices.DeleteFunc(out, func(t store.Took) bool { return t.Counted == 0 })
	slices.SortFunc(out, func(a, b store.Took) int {
		return cmp.Or(cmp.Compare(b.Counted, a.Counted), cmp.Compare(a.Name, b.Name))
	})
	return out
}

// causesBy sums what died of what by a group's levels.
func causesBy(group string, ds []store.TagDetail, died []store.TagCause) []store.GroupCause {
	of := map[int64]string{}
	for _, d := range ds {
		of[d.ID], _ = d.Level(group)
	}
	type cell struct{ key, cause string }
	n := map[cell]int{}
	for _, c := range died {
		if key := of[c.ID]; key != "" {
			n[cell{key, c.Cause}] += c.N
		}
	}
	out := make([]store.GroupCause, 0, len(n))
	for c, k := range n {
		out = append(out, store.GroupCause{Key: c.key, Cause: c.cause, N: k})
	}
	slices.SortFunc(out, func(a, b store.GroupCause) int {
		return cmp.Or(cmp.Compare(a.Key, b.Key), cmp.Compare(a.Cause, b.Cause))
	})
	return out
}

// causesOf sums what died of what, the most first.
func causesOf(died []store.TagCause) []store.CauseCount {
	n := map[string]int{}
	for _, c := range died {
		n[c.Cause] += c.N
	}
	var out []store.CauseCount
	for c, k := range n {
		out = append(out, store.CauseCount{Cause: c, N: k})
	}
	slices.SortFunc(out, func(a, b store.CauseCount) int { return cmp.Or(cmp.Compare(b.N, a.N), cmp.Compare(a.Cause, b.Cause)) })
	return out
}

// moreThanOthers finds the causes that a group lost clearly more grafts to than
// groups differ by.
func moreThanOthers(causes []store.GroupCause, ts []store.Took) map[string][]take.Cause {
	grafts := map[string]int{}
	for _, t := range ts {
		grafts[t.Key] = t.Counted
	}
	losses := make([]take.Loss, len(causes))
	for i, c := range causes {
		losses[i] = take.Loss{Group: c.Key, Cause: c.Cause, N: c.N}
	}
	out := map[string][]take.Cause{}
	for key, cs := range take.CausesByGroup(losses, grafts) {
		for _, c := range cs {
			// One graft is no pattern, however rare the cause.
			if c.More && c.N >= fewestAlike && c.Cause != "not known" {
				out[key] = append(out[key], c)
			}
		}
	}
	return out
}

// fewestAlike is how many grafts a cause must take before it is spoken of.
// House default.
const fewestAlike = 3

// priorGrafts is how many grafts the house's mean is worth before a group's
// own counts. House default.
const priorGrafts = 2

// priorOf is what a group is believed to be before its own counts: the
// house's mean, held as lightly as two grafts. It keeps a group of three
// grafts from being shown as perfect without hiding what its counts say.
func priorOf(all store.Took) sizing.Beta {
	return sizing.Prior((float64(all.Taken)+1)/(float64(all.Counted)+2), priorGrafts)
}

// resultLines sets groups beside each other.
func resultLines(ts []store.Took, prior sizing.Beta, all store.Took, more map[string][]take.Cause) []ResultLine {
	groups := make([]take.Group, len(ts))
	for i, t := range ts {
		groups[i] = take.Group{Grafts: t.Counted, Took: t.Taken}
	}
	limits := take.LimitsOf(groups)
	out := make([]ResultLine, len(ts))
	for i, t := range ts {
		out[i] = resultLine(t, prior, all)
		l := &out[i]
		l.Flag, l.More = limits.Groups[i].Flag, more[t.Key]
		if len(ts) > 1 {
			b := limits.Of(t.Counted)
			l.Working.Inputs = append(
				l.Working.Inputs,
				working.Input{
					Name: words.AsGroupsOfItsSize,
					Value: fmt.Sprintf(
						words.LimitsOfAGroup,
						words.Pct(b.Low95),
						words.Pct(b.High95),
						words.Pct(b.Low998),
						words.Pct(b.High998),
						words.Pct(limits.Mean),
					),
					Source: "statistics",
				},
				working.Input{
					Name: words.SpreadBetweenGroups,
					Value: fmt.Sprintf(
						words.NOnTheLogitScaleBeside,
						limits.Tau,
					),
					Source: working.OwnRecords,
				},
			)
		}
		for _, c := range l.More {
			l.Working.Inputs = append(
				l.Working.Inputs,
				working.Input{
					Name:   words.MoreLostTo + c.Cause,
					Value:  fmt.Sprintf(words.XOfItsGraftsX, words.PctRange(c.Share), words.Pct(c.Rest)),
					Source: working.OwnRecords,
				},
			)
		}
	}
	return out
}

func resultLine(t store.Took, prior sizing.Beta, all store.Took) ResultLine {
	i := prior.And(t.Taken, t.Counted).Interval90()
	raw := float64(t.Taken) / float64(t.Counted)
	l := ResultLine{Took: t, Take: i, Uncertain: i.High-i.Low > uncertainOver}
	l.Working = working.Working{Title: "Take, " + t.Name, Answer: words.Pct(i.Mean), Range: words.PctRange(i), Rule: words.TakeOfAGroup,
		Says: words.TheLatestLookAtEach,
		Inputs: []working.Input{
			{Name: "Tags counted", Value: fmt.Sprint(t.Tags), Source: working.OwnRecords},
			{Name: words.GraftsLookedAt, Value: fmt.Sprint(t.Counted), Source: working.OwnRecords},
			{Name: "Taken", Value: fmt.Sprintf(words.ShareOfThem, t.Taken, words.Pct(raw)), Source: working.OwnRecords},
			{Name: "Doubtful", Value: fmt.Sprint(t.Doubtful), Source: working.OwnRecords},
			{Name: "Dead", Value: fmt.Sprint(t.Dead), Source: working.OwnRecords},
			{
				Name: "Starts from",
				Value: fmt.Sprintf(
					words.XTheTakeOfAll,
					words.Pct(prior.Mean()),
					all.Counted,
					priorGrafts,
				),
				Source: working.OwnRecords,
			},
		}}
	return l
}

// TagsShown is how many tags are shown behind a figure; there may be more, in the list of tags.
const TagsShown = 200

// GroupTags lists the counted tags behind one figure, the newest first, and one more than is
// shown where there are more.
func (s *Stage) GroupTags(ctx context.Context, a nursery.Actor, group, key string, f ResultsFilter) ([]store.Tag, error) {
	if !slices.Contains(Groups, group) {
		return nil, nursery.ErrNotFound
	}
	facts, err := s.Facts(ctx)
	if err != nil {
		return nil, err
	}
	tf := f.filter()
	if seesOwn(a, facts) {
		tf.WorkerID = a.ID
	}
	return s.DB.Q().TagsOf(ctx, group, key, tf, TagsShown+1)
}

// Seasons lists work seasons that can be shown, newest first, as the year in
// which each begins on 1 August.
func (s *Stage) Seasons(ctx context.Context) (ys []int, err error) {
	first, err := s.DB.Q().FirstSeason(ctx)
	if err != nil {
		return nil, err
	}
	y := s.Today().Year()
	if s.Today().Month() < time.August {
		y--
	}
	ys = []int{y}
	for ; first > 0 && y > first; y-- {
		ys = append(ys, y-1)
	}
	return ys, nil
}

// SeasonDays gives the first and last day of the season that begins in a year.
func SeasonDays(y int) (from, to time.Time) {
	from = season.DayOf(time.Date(y, time.August, 1, 0, 0, 0, 0, time.UTC))
	return from, from.AddDate(1, 0, -1)
}

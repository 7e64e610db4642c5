package nursery

import (
	"context"
	"errors"
	"fmt"
	"sort"
	"strings"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/core/wood"
	"unionknot/internal/core/working"
	"unionknot/internal/store"
)

// Found is what a look at wood can find.
var Found = []string{"sound", "drying", "too wet", "mould", "buds moving", "frosted"}

// Flag is something wrong with a store or with what lies in it.
type Flag struct {
	Kind  string // frost, warmth, fruit, look, silent, failed look
	Says  string
	Do    string // what to do about it
	Since time.Time
}

// Kept is a bundle with how it keeps.
type Kept struct {
	Bundle  store.Bundle
	Keeping wood.Keeping
	Bad     string // what the last look found, when not sound
	Working working.Working
}

// Soon says that the wood is near the end of its life: a fortnight, or a day
// for green wood. House default.
func (k Kept) Soon(now time.Time) bool {
	near := 14 * 24 * time.Hour
	if k.Bundle.State != "resting" {
		near = 24 * time.Hour
	}
	return k.Keeping.KeepBy.Sub(now) < near
}

// ColdPage is one store as it stands.
type ColdPage struct {
	Place    store.ColdPlace
	Readings []store.ColdReading // of the stretch drawn
	From, To time.Time
	NowC     float64
	Read     bool // that NowC was read
	Last     *store.ColdReading
	Doubted  []store.ColdReading // that wait for somebody to say that they are right
	logged   time.Time           // when a logger last spoke; zero for never
	Harms    []wood.Harm
	Flags    []Flag
	Kept     []Kept // first to use first
	Looks    []store.Look
}

// flagFor is how long a harm stays a flag without a look after it. House
// default.
const flagFor = 60 * 24 * time.Hour

// Cold gathers a store.
func (s *Service) Cold(ctx context.Context, name string) (ColdPage, error) {
	q := s.db.Q()
	p, err := q.ColdPlaceByName(ctx, strings.TrimSpace(name))
	if err != nil {
		return ColdPage{}, err
	}
	return s.cold(ctx, q, p)
}

// Colds gathers every store.
func (s *Service) Colds(ctx context.Context) ([]ColdPage, error) {
	q := s.db.Q()
	ps, err := q.ColdPlaces(ctx)
	if err != nil {
		return nil, err
	}
	out := make([]ColdPage, len(ps))
	for i, p := range ps {
		if out[i], err = s.cold(ctx, q, p); err != nil {
			return nil, fmt.Errorf("store %s: %w", p.Name, err)
		}
	}
	return out, nil
}

func (s *Service) cold(ctx context.Context, q store.Q, p store.ColdPlace) (ColdPage, error) {
	now := s.Now()
	c := ColdPage{Place: p, To: now, From: now.AddDate(0, 0, -60)}
	bs, err := q.BundlesIn(ctx, p.Name)
	if err != nil {
		return c, err
	}
	for _, b := range bs {
		if b.CutOn.Before(c.From) {
			c.From = b.CutOn
		}
	}
	if oldest := now.Add(-clockFrom); c.From.Before(oldest) {
		c.From = oldest
	}
	if c.Readings, err = q.ColdReadings(ctx, p.ID, c.From); err != nil {
		return c, err
	}
	if n := len(c.Readings); n > 0 {
		c.Last = &c.Readings[n-1]
	} else if r, err := q.LastColdReading(ctx, p.ID, false); err == nil {
		c.Last = &r
	} else if !errors.Is(err, ErrNotFound) {
		return c, err
	}
	if r, err := q.LastColdReading(ctx, p.ID, true); err == nil {
		c.logged = r.At
	} else if !errors.Is(err, ErrNotFound) {
		return c, err
	}
	if c.Doubted, err = q.DoubtedReadings(ctx, p.ID); err != nil {
		return c, err
	}
	if c.Looks, err = q.LooksAt(ctx, p, 200); err != nil {
		return c, err
	}
	clock := clockOf(c.Readings, p)
	c.NowC, c.Read = clock.Now(now)
	c.Harms = clock.Harms()
	k := s.keeper(q)
	k.clocks[strings.ToLower(p.Name)] = &placeClock{p, clock} // read already, from the oldest bundle on
	if err := k.stay(ctx, bs...); err != nil {
		return c, err
	}
	for _, b := range bs {
		x, err := k.keep(ctx, b, c.Looks)
		if err != nil {
			return c, err
		}
		c.Kept = append(c.Kept, x)
	}
	sort.SliceStable(c.Kept, func(i, j int) bool { return c.Kept[i].Keeping.KeepBy.Before(c.Kept[j].Keeping.KeepBy) })
	c.flags(now, clock)
	return c, nil
}

func clockOf(rs []store.ColdReading, p store.ColdPlace) wood.Clock {
	out := make([]wood.Reading, len(rs))
	for i, r := range rs {
		out[i] = wood.Reading{At: r.At, C: r.C}
	}
	return wood.NewClock(out, p.SetC)
}

func kept(clock wood.Clock, age wood.Age, b store.Bundle, place string, now time.Time, looks []store.Look) Kept {
	k := Kept{Bundle: b, Keeping: clock.KeepAged(age, now, b.State)}
	for _, l := range looks { // newest first
		if l.BundleID != nil && *l.BundleID == b.ID {
			if l.Found != "sound" {
				k.Bad = l.Found
			}
			break
		}
	}
	where := "kept at the set point"
	if place == "" {
		where = "no store with readings: reckoned at 1 °C"
	} else if k.Keeping.Age.Unknown == 0 {
		where = "read all the time"
	} else {
		where = fmt.Sprintf("%.1f of %.0f days unread, reckoned at the set point", k.Keeping.Age.Unknown.Hours()/24, now.Sub(b.CutOn).Hours()/24)
	}
	k.Working = working.Working{Title: "How bundle " + b.Code + " keeps", Rule: "store clock", Answer: "keep by " + k.Keeping.KeepBy.Format("2 January 2006"),
		Range: fmt.Sprintf("%s to %s, were the thermometer half a degree out", k.Keeping.Earliest.Format("2 January"), k.Keeping.KeepLate.Format("2 January")),
		Says:  "Wood ages 2.5 times as fast for every 10 °C. Each stretch between readings counts by the mean of its ends, in days at 1 °C, below 0 °C as at 0; 26 hours after a reading with none behind it the set point stands in; what is left of its life runs on at the temperature of the last day.",
		Inputs: []working.Input{
			{Name: "Cut", Value: b.CutOn.Format("2 January 2006"), Source: working.Entered, Ref: b.Code},
			{Name: "Age", Value: fmt.Sprintf("%.0f days at 1 °C in %.0f days", k.Keeping.Age.Days, now.Sub(b.CutOn).Hours()/24), Source: working.Measured},
			{Name: "Readings", Value: where, Source: working.Measured},
			{Name: "Life of " + b.State + " wood", Value: fmt.Sprintf("%.0f days at 1 °C", k.Keeping.Life), Source: working.HouseDefault},
			{Name: "Temperature now", Value: fmt.Sprintf("%.1f °C", k.Keeping.NowC), Source: working.Measured}}}
	return k
}

// flags works out what is wrong. A harm stands until somebody has looked since
// it ended and found all sound; what else a look finds is a flag itself, until a
// later look finds it sound. The rest stand until they are mended.
func (c *ColdPage) flags(now time.Time, clock wood.Clock) {
	var lastLook, sound time.Time
	for _, l := range c.Looks { // newest first
		if l.PlaceID == nil {
			continue
		}
		if lastLook.IsZero() && l.Found != "sound" {
			c.Flags = append(c.Flags, Flag{"failed look", "The store was found " + l.Found + " on " + l.At.Local().Format("2 January"), "Mend it, throw out what is past saving, and look again.", l.At})
		}
		if l.At.After(lastLook) {
			lastLook = l.At
		}
		if l.Found == "sound" && l.At.After(sound) {
			sound = l.At
		}
	}
	for _, h := range c.Harms {
		if sound.After(h.To) || now.Sub(h.To) > flagFor {
			continue
		}
		do := "Look at the buds and scratch the bark; use the oldest wood first."
		if h.Kind == "frost" {
			do = "Let it thaw slowly, then look: brown under the bark is dead."
		}
		says := capital(h.Says()) + ", since " + h.From.Local().Format("2 January 15:04")
		if lost := (clock.Age(h.From, h.To).Days - h.To.Sub(h.From).Hours()/24*wood.Rate(c.Place.SetC)) / wood.Rate(c.NowC); h.Kind == "warmth" && lost >= 1 {
			says += fmt.Sprintf("; it moved the keep-by dates of %d bundles forward by %.0f days", len(c.Kept), lost)
		}
		c.Flags = append(c.Flags, Flag{h.Kind, says, do, h.From})
	}
	if c.Place.FruitSince != nil {
		c.Flags = append(c.Flags, Flag{"fruit", "Ripening fruit is kept here", "Take it out: its ethylene makes buds abort.", *c.Place.FruitSince})
	}
	if !c.logged.IsZero() && now.Sub(c.logged) > wood.SilentAfter {
		c.Flags = append(c.Flags, Flag{"silent", "The logger has said nothing since " + c.logged.Local().Format("2 January 15:04"), "See to its battery; read the thermometer by hand meanwhile.", c.logged})
	}
	for _, r := range c.Doubted {
		c.Flags = append(c.Flags, Flag{"in doubt", fmt.Sprintf("%.1f °C was read on %s", r.C, r.At.Local().Format("2 January 15:04")), "Look at the thermometer. It does not count until you say that it is right.", r.At})
	}
	if len(c.Kept) > 0 {
		since := lastLook
		for _, k := range c.Kept {
			if lastLook.IsZero() && (since.IsZero() || k.Bundle.CutOn.Before(since)) {
				since = k.Bundle.CutOn
			}
		}
		if now.Sub(since) > wood.LookEvery {
			c.Flags = append(c.Flags, Flag{"look", fmt.Sprintf("Nobody has looked for %d days", days(season.DayOf(since), season.DayOf(now))), "Moist? Buds tight? Bark green under a scratch?", since})
		}
	}
	for _, k := range c.Kept {
		if k.Bad != "" {
			c.Flags = append(c.Flags, Flag{"failed look", "Bundle " + k.Bundle.Code + " was found " + k.Bad, "Use it first or throw it out, and look again.", k.Bundle.CutOn})
		}
	}
}

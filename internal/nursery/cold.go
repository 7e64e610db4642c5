package nursery

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"math"
	"slices"
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
	if c.Readings, err = q.ColdReadings(ctx, p.ID, c.From); err != nil {
		return c, err
	}
	if n := len(c.Readings); n > 0 {
		c.Last = &c.Readings[n-1]
	} else if r, err := q.LastColdReading(ctx, p.ID); err == nil {
		c.Last = &r
	} else if !errors.Is(err, ErrNotFound) {
		return c, err
	}
	if c.Looks, err = q.LooksAt(ctx, p, 200); err != nil {
		return c, err
	}
	clock := clockOf(c.Readings, p)
	c.NowC, c.Read = clock.Now(now)
	c.Harms = clock.Harms()
	for _, b := range bs {
		c.Kept = append(c.Kept, kept(clock, b, p.Name, now, c.Looks))
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

func kept(clock wood.Clock, b store.Bundle, place string, now time.Time, looks []store.Look) Kept {
	k := Kept{Bundle: b, Keeping: clock.Keep(b.CutOn, now, b.State)}
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
		where = fmt.Sprintf("%.0f of %.0f days without readings, reckoned at the set point", k.Keeping.Age.Unknown.Hours()/24, now.Sub(b.CutOn).Hours()/24)
	}
	k.Working = working.Working{Title: "How bundle " + b.Code + " keeps", Rule: "store clock", Answer: "keep by " + k.Keeping.KeepBy.Format("2 January 2006"),
		Range: fmt.Sprintf("%s to %s, were the thermometer half a degree out", k.Keeping.Earliest.Format("2 January"), k.Keeping.KeepLate.Format("2 January")),
		Says:  "Wood ages 2.5 times as fast for every 10 °C. Each stretch between readings counts by its temperature, in days at 1 °C; what is left of its life runs on at the temperature of the last day.",
		Inputs: []working.Input{
			{Name: "Cut", Value: b.CutOn.Format("2 January 2006"), Source: working.Entered, Ref: b.Code},
			{Name: "Age", Value: fmt.Sprintf("%.0f days at 1 °C in %.0f days", k.Keeping.Age.Days, now.Sub(b.CutOn).Hours()/24), Source: working.Measured},
			{Name: "Readings", Value: where, Source: working.Measured},
			{Name: "Life of " + b.State + " wood", Value: fmt.Sprintf("%.0f days at 1 °C", k.Keeping.Life), Source: working.HouseDefault},
			{Name: "Temperature now", Value: fmt.Sprintf("%.1f °C", k.Keeping.NowC), Source: working.Measured}}}
	return k
}

// flags works out what is wrong. A harm stands until somebody has looked after
// it began; the rest stand until they are mended.
func (c *ColdPage) flags(now time.Time, clock wood.Clock) {
	var lastLook time.Time
	for _, l := range c.Looks {
		if l.PlaceID != nil && l.At.After(lastLook) {
			lastLook = l.At
		}
	}
	for _, h := range c.Harms {
		if lastLook.After(h.From) || now.Sub(h.To) > flagFor {
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
	if c.Last != nil && strings.Contains(c.Last.Source, "logger") && now.Sub(c.Last.At) > wood.SilentAfter {
		c.Flags = append(c.Flags, Flag{"silent", "The logger has said nothing since " + c.Last.At.Local().Format("2 January 15:04"), "See to its battery; read the thermometer by hand meanwhile.", c.Last.At})
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

// NewColdPlace is what is asked of a store.
type NewColdPlace struct {
	Name              string
	SetC, LowC, HighC float64
}

// AddColdPlace keeps a store.
func (s *Service) AddColdPlace(ctx context.Context, a Actor, n NewColdPlace) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	n.Name = strings.Join(strings.Fields(n.Name), " ")
	var ps Problems
	if n.Name == "" || len(n.Name) > 60 {
		ps.add("name", "Name the place as it stands on bundles and lots, such as cold store 1.")
	}
	checkColds(&ps, n.SetC, n.LowC, n.HighC)
	if err := ps.orNil(); err != nil {
		return err
	}
	err := s.db.Tx(ctx, func(q store.Q) error {
		if _, err := q.AddColdPlace(ctx, store.ColdPlace{Name: n.Name, SetC: n.SetC, LowC: n.LowC, HighC: n.HighC, MadeAt: s.Now()}); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "store", n.Name, "added", nil, n)
	})
	return taken(err, "name", "Store", n.Name)
}

func checkColds(ps *Problems, set, low, high float64) {
	if set < -10 || set > 20 {
		ps.add("set_c", "A store is set between -10 and 20 °C.")
	}
	if low < -10 || high > 30 || high <= low {
		ps.add("low_c", "The safe band runs from a lower to a higher temperature, such as 0 to 4 °C.")
	}
}

// ChangeCold is what can be changed of a store.
type ChangeCold struct {
	SetC, LowC, HighC float64
	Fruit             bool
}

// ChangeColdPlace changes a store's settings.
func (s *Service) ChangeColdPlace(ctx context.Context, a Actor, name string, n ChangeCold) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	var ps Problems
	checkColds(&ps, n.SetC, n.LowC, n.HighC)
	if err := ps.orNil(); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		p, err := q.ColdPlaceByName(ctx, name)
		if err != nil {
			return err
		}
		was := p
		p.SetC, p.LowC, p.HighC = n.SetC, n.LowC, n.HighC
		switch {
		case !n.Fruit:
			p.FruitSince = nil
		case p.FruitSince == nil:
			today := s.Today()
			p.FruitSince = &today
		}
		if err := q.ChangeColdPlace(ctx, p); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "store", p.Name, "changed", map[string]any{"set": was.SetC, "low": was.LowC, "high": was.HighC, "fruit": was.FruitSince != nil}, n)
	})
}

// LoggerKey makes a new key for a store's logger; the one before is void. It
// is shown once: only its hash is kept.
func (s *Service) LoggerKey(ctx context.Context, a Actor, name string) (string, error) {
	if err := a.must(Propagator); err != nil {
		return "", err
	}
	var raw [24]byte
	rand.Read(raw[:])
	key := hex.EncodeToString(raw[:])
	return key, s.db.Tx(ctx, func(q store.Q) error {
		p, err := q.ColdPlaceByName(ctx, name)
		if err != nil {
			return err
		}
		p.KeyHash = hashOf(key)
		if err := q.ChangeColdPlace(ctx, p); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "store", p.Name, "a new logger key", nil, nil)
	})
}

func hashOf(key string) []byte {
	h := sha256.Sum256([]byte(key))
	return h[:]
}

// ErrNoKey says that no store's logger has the key.
var ErrNoKey = errors.New("no logger has this key")

// mostIntake bounds one message of a logger.
const mostIntake = 5000

// Intake keeps readings that a logger sends with its key. Sent again, they
// are the same readings. It gives how many were new.
func (s *Service) Intake(ctx context.Context, key string, rs []wood.Reading) (int, error) {
	q := s.db.Q()
	p, err := q.ColdPlaceByKey(ctx, hashOf(key))
	if errors.Is(err, ErrNotFound) {
		return 0, ErrNoKey
	} else if err != nil {
		return 0, err
	}
	return s.keepColds(ctx, q, p, rs, "logger", nil)
}

func (s *Service) keepColds(ctx context.Context, q store.Q, p store.ColdPlace, rs []wood.Reading, source string, by *int64) (int, error) {
	if len(rs) > mostIntake {
		return 0, Problem{"", fmt.Sprintf("Send at most %d readings at a time.", mostIntake)}
	}
	out := make([]store.ColdReading, len(rs))
	for i, r := range rs {
		if err := coldSound(r.At, r.C, s.Now()); err != "" {
			return 0, Problem{"c", err}
		}
		out[i] = store.ColdReading{At: r.At, C: math.Round(r.C*100) / 100, Source: source}
	}
	return q.AddColdReadings(ctx, p.ID, out, by)
}

// coldSound says what is wrong with a reading, or "".
func coldSound(at time.Time, c float64, now time.Time) string {
	switch {
	case !(c >= -60 && c <= 80):
		return fmt.Sprintf("%g °C is no store's temperature: it runs from -60 to 80.", c)
	case at.After(now.Add(10 * time.Minute)):
		return at.Format("2006-01-02 15:04") + " is still to come: set the logger's clock."
	case at.Year() < 2000:
		return at.Format("2006-01-02") + " is too long ago: set the logger's clock."
	}
	return ""
}

// ReadCold keeps a temperature read by hand, now.
func (s *Service) ReadCold(ctx context.Context, a Actor, name string, c float64) error {
	if err := a.must(Propagator, BenchHand); err != nil {
		return err
	}
	if says := coldSound(s.Now(), c, s.Now()); says != "" {
		return Problem{"c", says}
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		p, err := q.ColdPlaceByName(ctx, name)
		if err != nil {
			return err
		}
		if again, err := sentBefore(ctx, q, "a reading of "+p.Name); err != nil || again {
			return err
		}
		_, err = q.AddColdReadings(ctx, p.ID, []store.ColdReading{{At: s.Now(), C: c, Source: "by hand"}}, &a.ID)
		return err
	})
}

// Simulate keeps readings of the shipped stand-in for a logger.
func (s *Service) Simulate(ctx context.Context, a Actor, name string, rs []wood.Reading) (int, error) {
	if err := a.must(Propagator); err != nil {
		return 0, err
	}
	q := s.db.Q()
	p, err := q.ColdPlaceByName(ctx, name)
	if err != nil {
		return 0, err
	}
	n := 0
	for chunk := range slices.Chunk(rs, mostIntake) {
		k, err := s.keepColds(ctx, q, p, chunk, "simulated logger", &a.ID)
		if err != nil {
			return n, err
		}
		n += k
	}
	return n, nil
}

// NewLook is what was found when somebody looked.
type NewLook struct {
	Bundle string // a bundle's code, or "" for the whole place
	Found  string
	Thrown int // pieces
	Note   string
}

// LookAtCold keeps a look at a store or at one of its bundles, and throws out
// what was thrown out.
func (s *Service) LookAtCold(ctx context.Context, a Actor, name string, n NewLook) error {
	if err := a.must(Propagator, BenchHand); err != nil {
		return err
	}
	n.Bundle = cleanCode(n.Bundle)
	if !contains(Found, n.Found) {
		return Problem{"found", "Say what was found: " + strings.Join(Found, ", ") + "."}
	}
	if n.Thrown < 0 || n.Thrown > 0 && n.Bundle == "" {
		return Problem{"thrown", "Say of which bundle the pieces were thrown out."}
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		p, err := q.ColdPlaceByName(ctx, name)
		if err != nil {
			return err
		}
		if again, err := sentBefore(ctx, q, "a look at "+p.Name); err != nil || again {
			return err
		}
		l := store.Look{Found: n.Found, Thrown: n.Thrown, Note: strings.TrimSpace(n.Note), PersonID: a.ID, At: s.Now()}
		if n.Bundle == "" {
			l.PlaceID = &p.ID
		} else {
			b, err := q.BundleByCode(ctx, n.Bundle)
			if errors.Is(err, ErrNotFound) {
				return Problem{"bundle", "No bundle is called " + n.Bundle + "."}
			} else if err != nil {
				return err
			}
			l.BundleID = &b.ID
			if n.Thrown > 0 {
				err := q.MoveWood(ctx, store.Move{Of: b.ID, N: n.Thrown, From: store.Free, To: store.Spoiled, Reason: "thrown out: " + n.Found, PersonID: a.ID, At: s.Now()})
				if err != nil {
					return short(err, "thrown", fmt.Sprintf("Bundle %s has %d pieces free.", b.Code, b.Free))
				}
			}
		}
		return q.AddLook(ctx, l)
	})
}

// MoveBundle notes that a bundle is kept elsewhere now.
func (s *Service) MoveBundle(ctx context.Context, a Actor, code, place string) error {
	if err := a.must(Propagator, BenchHand); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		b, err := q.BundleByCode(ctx, cleanCode(code))
		if err != nil {
			return err
		}
		place = strings.Join(strings.Fields(place), " ")
		if err := q.MoveBundle(ctx, b.ID, place); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "bundle", b.Code, "moved", b.Place, place)
	})
}

// keeper works out how bundles keep, asking the store once for each place.
type keeper struct {
	s      *Service
	q      store.Q
	clocks map[string]*placeClock
}

type placeClock struct {
	place store.ColdPlace
	clock wood.Clock
	known bool // there is such a store
}

func (s *Service) keeper(q store.Q) *keeper { return &keeper{s, q, map[string]*placeClock{}} }

// clockFrom is how far back a store's readings are read for one bundle.
const clockFrom = 400 * 24 * time.Hour

func (k *keeper) keep(ctx context.Context, b store.Bundle, looks []store.Look) (Kept, error) {
	key := strings.ToLower(b.Place)
	c := k.clocks[key]
	if c == nil {
		c = &placeClock{clock: wood.NewClock(nil, 1)}
		p, err := k.q.ColdPlaceByName(ctx, b.Place)
		if err == nil {
			rs, err := k.q.ColdReadings(ctx, p.ID, k.s.Now().Add(-clockFrom))
			if err != nil {
				return Kept{}, err
			}
			c = &placeClock{p, clockOf(rs, p), true}
		} else if !errors.Is(err, ErrNotFound) {
			return Kept{}, err
		}
		k.clocks[key] = c
	}
	return kept(c.clock, b, c.place.Name, k.s.Now(), looks), nil
}

// ColdNames lists the stores' names, to help typing.
func (s *Service) ColdNames(ctx context.Context) ([]string, error) {
	ps, err := s.db.Q().ColdPlaces(ctx)
	out := make([]string, len(ps))
	for i, p := range ps {
		out[i] = p.Name
	}
	return out, err
}

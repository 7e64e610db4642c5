package outlook

import (
	"fmt"
	"slices"
	"sort"
	"strings"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/core/wood"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
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

// ColdsOf gathers every store as it stands.
func ColdsOf(f *snapshot.Snapshot) []ColdPage {
	k := KeeperOf(f)
	var out []ColdPage
	for _, p := range f.Places {
		if p.Kind == "store" {
			out = append(out, ColdOf(f, k, p))
		}
	}
	return out
}

// keptIn lists the bundles with pieces free or set aside that lie in a place.
func keptIn(f *snapshot.Snapshot, is func(place string) bool) (out []store.BundlePile) {
	for _, b := range f.Bundles {
		if b.Live && is(b.Place) {
			out = append(out, b)
		}
	}
	return out
}

// mostLooks is how many looks a store's page shows.
const mostLooks = 200

// ColdOf gathers one store as it stands.
func ColdOf(f *snapshot.Snapshot, k *Keeper, p snapshot.Place) ColdPage {
	now := f.At
	c := ColdPage{Place: p.ColdPlace, To: now, From: now.AddDate(0, 0, -60), Doubted: p.Doubted}
	bs := keptIn(f, func(place string) bool { return strings.EqualFold(place, p.Name) })
	for _, b := range bs {
		if b.CutOn.Before(c.From) {
			c.From = b.CutOn
		}
	}
	if oldest := now.AddDate(0, 0, -400); c.From.Before(oldest) {
		c.From = oldest
	}
	if n := len(p.Readings); n > 0 {
		c.Last = &p.Readings[n-1]
	}
	at := slices.IndexFunc(p.Readings, func(r store.ColdReading) bool { return !r.At.Before(c.From) })
	if at >= 0 {
		c.Readings = p.Readings[at:]
	}
	if p.Logged != nil {
		c.logged = *p.Logged
	}
	for _, l := range f.Looks {
		if (l.PlaceID != nil && *l.PlaceID == p.ID || l.BundleID != nil && strings.EqualFold(l.Lies, p.Name)) && len(c.Looks) < mostLooks {
			c.Looks = append(c.Looks, l)
		}
	}
	clock := snapshot.ClockOf(c.Readings, p.SetC) // from the oldest bundle on
	c.NowC, c.Read = clock.Now(now)
	c.Harms = clock.Harms()
	for _, b := range bs {
		c.Kept = append(c.Kept, k.Keep(b, c.Looks))
	}
	sort.SliceStable(c.Kept, func(i, j int) bool { return c.Kept[i].Keeping.KeepBy.Before(c.Kept[j].Keeping.KeepBy) })
	c.flags(now, clock)
	return c
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
			c.Flags = append(
				c.Flags,
				Flag{
					"failed look",
					words.TheStoreWasFound + l.Found + " on " + l.At.Local().Format("2 January"),
					words.MendItThrowOutWhat,
					l.At,
				},
			)
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
		do := words.LookAtTheBudsAnd
		if h.Kind == "frost" {
			do = words.LetItThawSlowlyThen
		}
		says := words.Capital(words.Harm(h)) + ", since " + h.From.Local().Format(words.DayAndHour)
		if lost := (clock.Age(h.From,
			h.To).Days - h.To.Sub(h.From).Hours()/24*wood.Rate(c.Place.SetC)) / wood.Rate(c.NowC); h.Kind == "warmth" &&
			lost >= 1 {
			says += fmt.Sprintf(words.ItMovedTheKeepBy, len(c.Kept), lost)
		}
		c.Flags = append(c.Flags, Flag{h.Kind, says, do, h.From})
	}
	if c.Place.FruitSince != nil {
		c.Flags = append(
			c.Flags,
			Flag{"fruit", words.RipeningFruitIsKeptHere, words.TakeItOutItsEthylene, *c.Place.FruitSince},
		)
	}
	if !c.logged.IsZero() && now.Sub(c.logged) > wood.SilentAfter {
		c.Flags = append(
			c.Flags,
			Flag{
				"silent",
				words.TheLoggerHasSaidNothing + c.logged.Local().Format(words.DayAndHour),
				words.SeeToItsBatteryRead,
				c.logged,
			},
		)
	}
	for _, r := range c.Doubted {
		c.Flags = append(
			c.Flags,
			Flag{
				"in doubt",
				fmt.Sprintf(words.ReadOnADay, r.C, r.At.Local().Format(words.DayAndHour)),
				words.LookAtTheThermometerIt,
				r.At,
			},
		)
	}
	if len(c.Kept) > 0 {
		since := lastLook
		for _, k := range c.Kept {
			if lastLook.IsZero() && (since.IsZero() || k.Bundle.CutOn.Before(since)) {
				since = k.Bundle.CutOn
			}
		}
		if now.Sub(since) > wood.LookEvery {
			c.Flags = append(
				c.Flags,
				Flag{
					"look",
					fmt.Sprintf(words.NobodyHasLookedForN, season.Days(season.DayOf(since), season.DayOf(now))),
					words.MoistBudsTightBarkGreen,
					since,
				},
			)
		}
	}
	for _, k := range c.Kept {
		if k.Bad != "" {
			c.Flags = append(
				c.Flags,
				Flag{
					"failed look",
					"Bundle " + k.Bundle.Code + " was found " + k.Bad,
					words.UseItFirstOrThrow,
					k.Bundle.CutOn,
				},
			)
		}
	}
}

// Risk is something that will be lost if nobody does anything.
type Risk struct {
	Where, Says, Do string
	Path            string
	Look            string // a store that one tap notes as looked at and sound
	Amiss           int64  // what was found amiss, that one tap notes as put right; 0 for none
	worst           int
}

// how bad each kind of flag is, the worst first.
var badness = map[string]int{"frost": 0, "warmth": 1, "amiss": 1, "keep": 2, "failed look": 3, "fell": 4, "fruit": 5, "silent": 6,
	"look": 7}

// Risks gathers what may be lost: in the stores, wood near its end, and orders
// whose counts came in low.
func Risks(f *snapshot.Snapshot, orders []OrderLine) []Risk {
	var out []Risk
	for _, l := range orders {
		if l.Fell() {
			says, do := words.OrderFell(l.Balance)
			out = append(out, Risk{Where: l.Order.Code, Says: says, Do: do, Path: "/orders/" + l.Order.Code, worst: badness["fell"]})
		}
	}
	soon := func(ks []Kept) {
		for _, k := range ks {
			if k.Bundle.Free == 0 || !k.Soon(f.At) {
				continue
			}
			do := words.UseItFirst
			says := fmt.Sprintf(
				words.PiecesKeepUntil,
				k.Bundle.Code,
				k.Bundle.Free,
				k.Bundle.Variety,
				k.Keeping.KeepBy.Format("2 January"),
			)
			if k.Past(f.Today) {
				do = words.ItIsNotWovenAny
				says = fmt.Sprintf(
					words.PiecesPastKeepBy,
					k.Bundle.Code,
					k.Bundle.Free,
					k.Bundle.Variety,
					k.Keeping.KeepBy.Format("2 January"),
				)
			}
			out = append(
				out,
				Risk{
					Where: k.Bundle.Place,
					Says:  says,
					Do:    do,
					Path:  "/wood/bundles/" + k.Bundle.Code,
					worst: badness["keep"],
				},
			)
		}
	}
	for _, c := range ColdsOf(f) {
		for _, x := range c.Flags {
			r := Risk{Where: c.Place.Name, Says: x.Says, Do: x.Do, Path: "/wood/store", worst: badness[x.Kind]}
			if x.Kind == "look" {
				r.Look = c.Place.Name
			}
			out = append(out, r)
		}
		soon(c.Kept)
	}
	k := KeeperOf(f)
	var loose []Kept
	for _, b := range keptIn(f, func(place string) bool { _, ok := f.Place(place); return !ok }) {
		loose = append(loose, k.Keep(b, nil))
	}
	soon(loose)
	WorstFirst(out)
	return out
}

// WorstFirst puts risks in the order in which they are seen to.
func WorstFirst(rs []Risk) {
	slices.SortStableFunc(rs, func(a, b Risk) int { return a.worst - b.worst })
}

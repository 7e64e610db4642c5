package words

import (
	"fmt"
	"strings"
	"time"

	"unionknot/internal/core/pollen"
	"unionknot/internal/core/sizing"
)

// What is asked of trees, limbs and flowers.
const (
	TrunkWanted    = "Say what the tree's trunk is, in up to 60 letters: a variety, or seedling."
	PlaceShort     = "Name the place in up to 80 letters."
	NoteShort      = "A note is up to 600 letters."
	NameShort      = "A name is up to 60 letters, a group up to 40."
	GirthBetween   = "The girth of a trunk is from 10 to 9,000 mm. Leave it empty if it was not measured."
	InterstemTwo   = "An interstem has two varieties: the middle piece first, then the top, each on a line."
	TreesCounted   = "Count the trees: a whole number from 1 to 100,000."
	DueWanted      = "Give the day they are wanted, today or later, such as 2029-03-01."
	NeverSo        = "No number of trees gives as many good ones with the house's chance. Ask for fewer varieties or another technique."
	HeightBetween  = "A height is from 1 to 3,000 cm. Leave it empty if it was not measured."
	VarietyWanted  = "Name the variety, in up to 60 letters."
	NoMoreLimbs    = "No limb can be drawn on this tree: those of trees made for sale are given, and a standing one has 26 at most."
	ReloadTree     = "This page is old. Load it again and do it once more."
	WhyGone        = "Say why the limb is gone, in up to 300 letters."
	KnockedOff     = "knocked or broken"
	FlowerBoth     = "Give the first and the last day, or leave both empty."
	FlowerAhead    = "Its first flower is still to come by that day: note it once it is open."
	PloidyBetween  = "Sets of chromosomes are from 2 to 8. Leave it empty if they are not known."
	TreesAddsUp    = "Every variety that is wanted lives on it: the product of the chances of its limbs."
	LimbLabelTwice = "Before it is sold or shown: every limb labelled twice."
	TreeRule       = "trees of several unions"
)

// ChooseGenus says that a genus is not known.
func ChooseGenus(typed string) string {
	return fmt.Sprintf("Choose a genus from the list; %q is not in it.", typed)
}

// TreeCodeShort bounds a tree's code.
func TreeCodeShort(most int) string {
	return fmt.Sprintf("A tree's code is up to %d letters: its limbs add theirs.", most)
}

// PlantedYear bounds the year in which a tree was planted.
func PlantedYear(year int) string { return fmt.Sprintf("The year is from 1700 to %d.", year) }

// FamilyOf asks for the varieties of a tree.
func FamilyOf(most int) string {
	return fmt.Sprintf("Name from 2 to %d varieties, each on a line of its own.", most)
}

// VarietyTwice says that a variety stands twice, or is too long.
func VarietyTwice(v string) string {
	return fmt.Sprintf("%q is named twice, or is longer than 60 letters.", v)
}

// NoWayOn says that no technique is known for a pair.
func NoWayOn(scion, stock string) string {
	return fmt.Sprintf("The house has no technique that grafts %s on %s.", scion, stock)
}

// NoSuchLot, StemsForTrees and BeginAsMany say what is wrong with the trees that are begun.
func NoSuchLot(code string) string { return fmt.Sprintf("There is no lot %s.", code) }

// StemsForTrees says that stems lack.
func StemsForTrees(lot string, free, begun int) string {
	return fmt.Sprintf("%s has %d stems free, and %d trees are to be begun so that enough are good. Ask for fewer, or say how many to "+
		"begin.", lot, free, begun)
}

// BeginAsMany says that fewer are begun than are wanted.
func BeginAsMany(wanted int) string {
	return fmt.Sprintf("Begin as many as are wanted, %d, or more.", wanted)
}

// DoesNotLiveOn says that a pair is known to fail, and what could stand between.
func DoesNotLiveOn(scion, stock string, through []string) string {
	s := fmt.Sprintf("%s is known not to live on %s.", Capital(scion), stock)
	if len(through) > 0 {
		s += " An interstem could stand between: " + strings.Join(through, ", ") + "."
	}
	return s + " If it is meant all the same, say so."
}

// LimbBetween bounds the diameter of a limb.
func LimbBetween(least, most int) string {
	return fmt.Sprintf("A limb measures from %d to %d mm at the cut. Leave it empty if it was not measured.", least, most)
}

// PlacesBetween bounds the grafts of a limb.
func PlacesBetween(most int) string { return fmt.Sprintf("Room is for 1 to %d grafts.", most) }

// PlacesTaken says that places are used already.
func PlacesTaken(letter string, n int) string {
	return fmt.Sprintf("Limb %s has %d grafts made or set aside already.", letter, n)
}

// NoSuchLimb and LimbGone say that nothing can be done on a limb.
func NoSuchLimb(letter string) string {
	return fmt.Sprintf("There is no limb %s on this tree.", letter)
}

// LimbGone says that it was removed.
func LimbGone(letter string) string { return fmt.Sprintf("Limb %s is gone.", letter) }

// NurseBearsNone says that a nurse limb is not grafted.
func NurseBearsNone(letter string) string {
	return fmt.Sprintf("Limb %s is a nurse limb: it feeds the tree and is cut once the others are grown. Take that back first.", letter)
}

// WantedAlready says that a limb has its variety.
func WantedAlready(letter, variety string) string {
	return fmt.Sprintf("%s is wanted on limb %s already. Close its order first, on the order's page.", variety, letter)
}

// LivesOnIt asks whether grafts go with their limb.
func LivesOnIt(letter string, n int, variety string) string {
	return fmt.Sprintf("%d of %s live on limb %s. If they go with it, say so: they are recorded as lost.", n, variety, letter)
}

// LimbAtBench says that grafts are set aside for a limb.
func LimbAtBench(letter string, n int) string {
	return fmt.Sprintf("%d grafts for limb %s are at the bench. Take their batch back first.", n, letter)
}

// CutWhich and KeepOne say what is wrong with grafts that are cut.
func CutWhich(letter string) string {
	return fmt.Sprintf("Say which live grafts of limb %s are cut, and how many.", letter)
}

// KeepOne says that one must stay.
func KeepOne(letter string) string {
	return fmt.Sprintf("One graft of limb %s must stay. If none does, note the losses on its tag.", letter)
}

// FlowerRuns and FlowerYear bound when a variety flowered.
func FlowerRuns(year int) string {
	return fmt.Sprintf("Flowers open from a first day to a later one of %d, within 120 days.", year)
}

// FlowerYear bounds the year.
func FlowerYear(year int) string { return fmt.Sprintf("A year from 1900 to %d.", year) }

// NoSuchVariety says that a variety is not known.
func NoSuchVariety(v string) string { return fmt.Sprintf("There is no variety %q in the house.", v) }

// limbSays names where a limb stands.
var limbSays = map[string]string{
	"bare": "say what is to stand on it", "nurse": "nurse limb: leave it on until the others are grown", "unread": "measure it at the cut",
	"no room": "its places are used up: make room for more", "open": "open: weave it", "bench": "at the bench",
	"healing": "heals: look at it",
	"again":   "none taken: a second try", "lives": "it lives", "gone": "gone",
}

// LimbSays says where a limb stands; n is what lives on it or lacks, opens and shuts the days of its season.
func LimbSays(state string, n int, opens, shuts, technique string) string {
	switch state {
	case "choose":
		return fmt.Sprintf("%d taken: keep the best, cut the rest by August", n)
	case "no wood":
		return fmt.Sprintf("wood lacks, in pieces: %d", n)
	case "shut":
		if opens == "" {
			return technique + " is shut this year"
		}
		return fmt.Sprintf("%s opens on %s", technique, opens)
	case "open":
		if shuts != "" {
			return fmt.Sprintf("open until %s: %s", shuts, technique)
		}
	}
	return limbSays[state]
}

// PollenWhy says why one variety does not pollinate another; a is the one, b the other.
func PollenWhy(w pollen.Why, days float64) string {
	switch w {
	case pollen.Sets:
		return fmt.Sprintf("%.0f days together", days)
	case pollen.Same:
		return "not with its own pollen"
	case pollen.Group:
		return "of one group"
	case pollen.Sterile:
		return "its pollen is poor"
	case pollen.Days:
		return fmt.Sprintf("%.0f days together are too few", days)
	case pollen.Far:
		return "too far away"
	case pollen.Genus:
		return "of another genus"
	}
	return "flowering not noted"
}

// GapSays says what a variety of a set lacks; beside is the one that flowers longest with it, and days for how long.
func GapSays(of, beside string, w pollen.Why, days float64, closes []string) string {
	s := of + ": nothing beside it pollinates it"
	if w != pollen.Same {
		s += "; " + beside + ": " + PollenWhy(w, days)
	}
	if len(closes) == 0 {
		return s + ". No variety of the house is known to."
	}
	return s + ". " + strings.Join(closes, " or ") + " would."
}

// FlowerSays tells a chart of flowers to who does not see it.
func FlowerSays(n int, year int) string {
	return fmt.Sprintf("Flowering of %d varieties in %d", n, year)
}

// TreeDrawn tells a drawing of a tree to who does not see it.
func TreeDrawn(code string, limbs int) string {
	return fmt.Sprintf("Tree %s with %d limbs; each is told beside it", code, limbs)
}

// What a limb's chance is from.
const (
	LimbChanceSays = "At least one graft of it lives on a tree. Grafts of a limb share one take that nobody knows, so that a second one " +
		"brings " +
		"less than it would alone; where some are counted alive, the share that are."
	LimbLives = "Counted alive"
	LimbWaits = "Doubtful, healing, at the bench and to go"
	LimbTake  = "Take of a graft"
)

// LimbCounts says how a limb's grafts stand.
func LimbCounts(alive, doubtful, healing, bench, dead, cut int) string {
	var out []string
	for _, x := range []struct {
		n    int
		says string
	}{{alive, "taken"}, {doubtful, "doubtful"}, {healing, "healing"}, {bench, "at the bench"}, {dead, "dead"}, {cut, "cut off alive"}} {
		if x.n > 0 {
			out = append(out, fmt.Sprintf("%d %s", x.n, x.says))
		}
	}
	if len(out) == 0 {
		return "no graft yet"
	}
	return strings.Join(out, ", ")
}

// StepUntil says until when a step is due.
func StepUntil(step string, by time.Time) string {
	return fmt.Sprintf("%s by %s", step, by.Format("2 January 2006"))
}

// TreeKind names a kind of tree.
func TreeKind(kind string) string {
	switch kind {
	case "family":
		return "trees of several varieties"
	case "interstem":
		return "trees on an interstem: two unions, two dates"
	}
	return "a standing tree that is grafted over"
}

// GoodTrees says how many trees are good.
func GoodTrees(x sizing.Interval) string {
	return fmt.Sprintf("%.0f good trees (%.0f–%.0f)", x.Mean, x.Low, x.High)
}

// EnoughTrees says how likely as many as are wanted are.
func EnoughTrees(wanted int, chance float64) string {
	return fmt.Sprintf("%d or more, fit to sell: %s", wanted, InHundred(chance))
}

// SetBegun says how many trees were begun.
func SetBegun(begun, wanted int) string {
	return fmt.Sprintf("%d trees are begun for %d: each variety has an order of its own. Weave them as their seasons open.", begun, wanted)
}

// LimbDrawn says that a limb is drawn.
func LimbDrawn(letter string) string {
	return fmt.Sprintf("Limb %s is drawn. Say what is to stand on it.", letter)
}

// LimbWanted says that a variety is wanted on a limb.
func LimbWanted(variety, letter string) string {
	return fmt.Sprintf("%s is wanted on limb %s.", variety, letter)
}

// SetsWith says with whom a variety sets.
func SetsWith(needs, known bool, from []string) string {
	switch {
	case !needs:
		return "sets with its own pollen"
	case !known:
		return "note when it flowers"
	case len(from) == 0:
		return "nobody in the house is known to pollinate it"
	}
	return "with " + strings.Join(from, ", ")
}

// LimbDid names what is done on a limb.
func LimbDid(what string) string {
	return map[string]string{"headed": "headed back to the cut", "tied off": "ties off", "cleaned up": "cleaned up",
		"spread":    "a spreader set between",
		"kept best": "the best kept, others cut", "nurse off": "nurse shoots or the nurse limb cut"}[what]
}

// NoneToTryAgain says that no graft of a limb was counted dead that is not tried again already.
func NoneToTryAgain(letter string) string {
	return fmt.Sprintf("No graft of limb %s is counted dead that is not tried again already.", letter)
}

// TriedAgain says on how many trees a limb is tried again.
func TriedAgain(n int, letter string) string {
	return fmt.Sprintf("%d trees have a place for another graft on limb %s.", n, letter)
}

// StepsLate says that steps are past their day.
func StepsLate(n int) string {
	if n == 1 {
		return "one step is past its day"
	}
	return fmt.Sprintf("%d steps are past their day", n)
}

// TryAgainOn begins what the record of changes says of a limb that is tried again.
const TryAgainOn = "tried again on "

// SpotWanted asks for where a place stands.
const SpotWanted = "Name the place as the mother plants have it, and give metres east and north of the yard, west and south below " +
	"nothing, up to 20,000."

// SpotNoted says that it is kept.
func SpotNoted(place string) string { return fmt.Sprintf("Where %s stands is noted.", place) }

// NurseUntil says when a nurse limb goes; "" where nothing grows on the tree yet.
func NurseUntil(day time.Time) string {
	if day.IsZero() {
		return "nurse limb: leave it on until the others are grown"
	}
	return "nurse limb: leave it on until the winter of " + day.Format("2006") + ", then cut it"
}

// SizeTakes says which techniques a limb's size is for.
func SizeTakes(names []string, mm float64) string {
	s := fmt.Sprintf("%.0f mm takes: %s", mm, strings.Join(names, ", "))
	if mm > thickBark {
		s += fmt.Sprintf(". Over %d mm the bark is too thick for a T-bud: bud a pencil-thick shoot a forearm from the trunk", thickBark)
	}
	return s
}

// thickBark is from which diameter, in mm, bark is too thick to lift for a shield. House default.
const thickBark = 25

// LimbStays says that what belongs to a tree's limb is not moved or changed apart from it.
const LimbStays = "These are places on a limb of a tree: what it is, and where it stands, is the tree's. Change it on the tree's page."

// Package ways is the house's answers to the questions on which good growers
// differ, read in one place: what each of them changes asks here.
package ways

import "strings"

// Key names a question; its words are its code.
type Key string

// The questions.
const (
	Usable       Key = "usable part of the shoot"
	Face         Key = "cut face length"
	Lay          Key = "laying a thinner scion"
	Behind       Key = "wood behind a T-bud"
	BudTie       Key = "bud under the tie"
	BudsPerStock Key = "buds per stock"
	Side         Key = "which side to bud"
	Sealing      Key = "sealing"
	Tip          Key = "scion tip at cutting"
	Callusing    Key = "callusing"
	TieOff       Key = "tie off"
	HeadingBack  Key = "heading back summer buds"
	Suckers      Key = "suckers"
	Shoots       Key = "shoots kept"
	UnionAt      Key = "union at planting"
	Knife        Key = "knife"
	Direction    Key = "direction of cut"
	Team         Key = "team"
	Failed       Key = "failed stocks"
	Tongue       Key = "tongue"
	CutFirst     Key = "cut first"
	Rim          Key = "round the chip"
	Binding      Key = "binding"
	PotTime      Key = "time in the pot"
	ChipWood     Key = "wood for chips"
	SpeciesOrder Key = "order of species in budding"
	TakesSeen    Key = "takes seen"
	Sharing      Key = "sharing"
	CheckTape    Key = "before tape"
)

// All are the questions in the order in which the house asks them.
var All = []Key{
	Usable,
	Face,
	Lay,
	Behind,
	BudTie,
	BudsPerStock,
	Side,
	Sealing,
	Tip,
	Callusing,
	TieOff,
	HeadingBack,
	Suckers,
	Shoots,
	UnionAt,
	Knife,
	Direction,
	Team,
	Failed,
	Tongue,
	CutFirst,
	Rim,
	Binding,
	PotTime,
	ChipWood,
	SpeciesOrder,
	TakesSeen,
	Sharing,
	CheckTape,
}

// House is a house's answers as it chose them. The zero House has the first of
// every question, which is the default.
type House map[Key]string

// What some answers begin with.
const (
	answerGlue       = "with white glue"
	answerLateWinter = "all in late winter"
	answerSnag       = "leave a snag"
	answerBelow      = "5–8 cm below"
	answerUpAndBack  = "up and back"
	answerFromTop    = "from the top"
	answerTwoYears   = "up to two"
)

// is says whether the answer to a question begins with one of some words.
func (h House) is(k Key, begins ...string) bool {
	for _, b := range begins {
		if strings.HasPrefix(h[k], b) {
			return true
		}
	}
	return false
}

// Flipped says that the wood behind a T-bud is flipped out.
func (h House) Flipped() bool { return h.is(Behind, "flipped") }

// BudCovered says that film covers a bud: it is seen by its colour, later than by
// its petiole.
func (h House) BudCovered() bool { return h.is(BudTie, "covered") }

// TwoBuds says that a stock gets two buds, of which the better is kept.
func (h House) TwoBuds() bool { return h.is(BudsPerStock, "two") }

// Pairs says that a cutter and a tier work together on a tag.
func (h House) Pairs() bool { return h.is(Team, "cutter") }

// AllSeen says that bench hands see everybody's takes, not their own alone.
func (h House) AllSeen() bool { return h.is(TakesSeen, "everybody") }

// Telling says that the next tags are shared out so that their counts tell workers from lots.
func (h House) Telling() bool { return h.is(Sharing, "so that") }

// Check says which of a learner's grafts are looked at before they are bound.
type Check string

// The answers.
const (
	CheckEvery   Check = "every"
	CheckCleared Check = "cleared" // until the learner is
	CheckNone    Check = "none"
)

// CheckTape is the house's.
func (h House) CheckTape() Check {
	switch {
	case h.is(CheckTape, "until"):
		return CheckCleared
	case h.is(CheckTape, "none"):
		return CheckNone
	}
	return CheckEvery
}

// BudSide is the side of the stock that is budded.
type BudSide string

// The sides.
const (
	FromSun  BudSide = "sun" // away from midday sun
	Windward BudSide = "windward"
	AnySide  BudSide = "any"
)

// BudSide is the house's.
func (h House) BudSide() BudSide {
	switch {
	case h.is(Side, "windward"):
		return Windward
	case h.is(Side, "any"):
		return AnySide
	}
	return FromSun
}

// Seal is how a union is sealed.
type Seal string

// The seals.
const (
	FilmOver    Seal = "film"
	BrushedWax  Seal = "wax"
	TapeAndHood Seal = "hood" // tape only, with a cover
)

// Seal is the house's.
func (h House) Seal() Seal {
	switch {
	case h.is(Sealing, "brushed"):
		return BrushedWax
	case h.is(Sealing, "tape only"):
		return TapeAndHood
	}
	return FilmOver
}

// TipSeal is what a scion's tip is sealed with at cutting.
type TipSeal string

// What tips are sealed with.
const (
	WaxTip  TipSeal = "wax"
	GlueTip TipSeal = "glue"
	BareTip TipSeal = "none"
)

// TipSeal is the house's.
func (h House) TipSeal() TipSeal {
	switch {
	case h.is(Tip, answerGlue):
		return GlueTip
	case h.is(Tip, "unsealed"):
		return BareTip
	}
	return WaxTip
}

// Ways to heal that are told apart by more than their days.
const (
	InTheRow  = "in the row"
	PotAtOnce = "pot at once"
)

// Healing is how bench grafts of a genus heal, by the house's way or, where that
// goes by genus, as the genus usually does: a healing way's key. House default.
func (h House) Healing(genus string) string {
	switch {
	case h.is(Callusing, "cold box"):
		return "cold callus"
	case h.is(Callusing, "cool room"):
		return "cool room"
	case h.is(Callusing, "warm union"):
		return "warm union"
	case h.is(Callusing, PotAtOnce):
		return PotAtOnce
	}
	switch genus {
	case "walnut", "chestnut", "hazel", "grape", "persimmon":
		return "warm union"
	case "plum", "cherry", "apricot", "peach":
		return "cool room"
	case "maple", "wisteria", "rose", "citrus":
		return PotAtOnce
	}
	return "cold callus"
}

// TiesLate says that all ties come off in late winter, whatever they are.
func (h House) TiesLate() bool { return h.is(TieOff, answerLateWinter) }

// HeadAt is when and how summer buds are headed back.
type HeadAt string

// The ways to head back summer buds.
const (
	HeadLateWinter HeadAt = "late-winter" // just above the bud
	HeadSnag       HeadAt = "snag"        // with a snag left to autumn
	HeadSeasonEnd  HeadAt = "season-end"
)

// HeadAt is the house's.
func (h House) HeadAt() HeadAt {
	switch {
	case h.is(HeadingBack, answerSnag):
		return HeadSnag
	case h.is(HeadingBack, "at season"):
		return HeadSeasonEnd
	}
	return HeadLateWinter
}

// NurseShoot says that one sucker is kept till the scion grows.
func (h House) NurseShoot() bool { return h.is(Suckers, "keep one") }

// OneShoot says that the best shoot is kept at once, not two until one is safe.
func (h House) OneShoot() bool { return h.is(Shoots, "best one") }

// UnionBelow says that the union is planted below the soil.
func (h House) UnionBelow() bool { return h.is(UnionAt, answerBelow) }

// Blade is what is cut with.
type Blade string

// What is cut with.
const (
	FreshBlade  Blade = "fresh"
	HonedBlade  Blade = "honed"
	CuttingTool Blade = "tool"
)

// Blade is the house's.
func (h House) Blade() Blade {
	switch {
	case h.is(Knife, "honed"):
		return HonedBlade
	case h.is(Knife, "cutting tool"):
		return CuttingTool
	}
	return FreshBlade
}

// CutsAway says that hands cut away from the body.
func (h House) CutsAway() bool { return h.is(Direction, "away") }

// SecondChance is what becomes of stocks whose graft or bud failed.
type SecondChance string

// What becomes of them.
const (
	OtherSide   SecondChance = "other-side" // a bud is set again at once, then the next bench
	SummerFirst SecondChance = "summer"     // a summer bud, then bench again
	BenchAgain  SecondChance = "bench"
	Discard     SecondChance = "discard"
)

// SecondChance is the house's.
func (h House) SecondChance() SecondChance {
	switch {
	case h.is(Failed, "summer bud"):
		return SummerFirst
	case h.is(Failed, "bench again"):
		return BenchAgain
	case h.is(Failed, "discard"):
		return Discard
	}
	return OtherSide
}

// TongueHalf says that the tongue is cut from half-way, not a third below the tip.
func (h House) TongueHalf() bool { return h.is(Tongue, "from half") }

// BudFirst says that the bud, or the scion, is cut before the stock.
func (h House) BudFirst() bool { return h.is(CutFirst, "bud") }

// RimFilled says that a chip fills its cut, with no rim of the stock's left
// showing.
func (h House) RimFilled() bool { return h.is(Rim, "filled") }

// Winds is which way a tie is wound.
type Winds string

// The ways to wind.
const (
	WindsUp   Winds = "up"
	WindsBack Winds = "back" // up and back down
	WindsDown Winds = "down"
)

// Winds is the house's.
func (h House) Winds() Winds {
	switch {
	case h.is(Binding, answerUpAndBack):
		return WindsBack
	case h.is(Binding, answerFromTop):
		return WindsDown
	}
	return WindsUp
}

// PotYears is how many years a graft may stand in its pot: 0 for not over a winter.
func (h House) PotYears() int {
	switch {
	case h.is(PotTime, "one"):
		return 1
	case h.is(PotTime, "two"):
		return 2
	}
	return 0
}

// OldChips says that chips may be of wood up to two years old.
func (h House) OldChips() bool { return h.is(ChipWood, answerTwoYears) }

// FixedOrder says that species are budded in the house's own order, not as their
// windows shut.
func (h House) FixedOrder() bool { return h.is(SpeciesOrder, "fixed") }

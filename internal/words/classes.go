package words

import (
	"fmt"
	"strings"

	"unionknot/internal/core/learning"
	"unionknot/internal/core/ways"
	"unionknot/internal/core/working"
)

// What is said of classes that cannot be made or changed so.
const (
	NameTheClass    = "Name the class, in up to 80 letters, such as Saturday course."
	ClassDay        = "Give the day of the class, such as 2027-03-02."
	SoManyWarmups   = "Between 0 and 50 practice unions a learner."
	BarShare        = "A share of the last first tries, between 1 and 100 in a hundred."
	BarRun          = "Between 3 and 14 first tries in a row are looked at."
	ReadCautions    = "Read the cautions out, and tick that they were heard."
	CountTools      = "Count each kind of tool: a number between 0 and 10,000; 0 where there is none."
	ClassOver       = "The class is closed. Open it again first."
	ClassOpened     = "The class was opened, so it is closed instead: what is not bound goes back."
	OpenFirst       = "Open the class first: cautions read, tools counted out."
	CloseFirst      = "Close the class first: tools counted in."
	ChooseCheck     = "Choose which grafts are looked at before they are bound."
	NamesErased     = "The names of this class were taken out, so none is noted any more."
	NotALook        = "This is not a look that the board makes: it was not kept. Load the board anew."
	PassFirst       = "A graft is passed before it is bound here: look at it first."
	AtHome          = "taken home"
	SoManyCuts      = "Between 1 and 500 cuts on a sheet."
	NoMoreThanCut   = "No more than were cut."
	NotYet          = "That day is still to come."
	StepLay         = "Lay the scion on the near side: its cambium on the stock's, on one side from top to bottom."
	StepLook        = "Hold it so and raise a hand: it is looked at before it is bound."
	ChooseTechnique = "Choose a technique that the house uses."
)

// What a class counts out and in.
const (
	Knives      = "Knives"
	LooseBlades = "Loose blades"
	Secateurs   = "Secateurs and cleft tools"
)

// ClassNamed is the name under which a class's grafts are counted.
func ClassNamed(code string) string { return "Class " + code }

// ClassCode is the code of the class whose grafts are counted under a name.
func ClassCode(name string) string { return strings.TrimPrefix(name, "Class ") }

// LearnersTag says that a tag is a learner's.
func LearnersTag(code, whose string) string {
	return "Tag " + code + " is a learner's (" + whose + "): it stays with them. What they leave goes back when they have left."
}

// ClassHasBatch says that a batch is laid out for a class.
func ClassHasBatch(batch, whose string) string {
	return "Batch " + batch + " is laid out for learners (" + whose + "). Make another batch for the bench."
}

// SoManyLearners bounds a class.
func SoManyLearners(most int) string { return fmt.Sprintf("Between 1 and %d learners.", most) }

// MoreNames says that there are more names than places.
func MoreNames(names, places int) string {
	return fmt.Sprintf("%d names for %d places: take some out, or make more places.", names, places)
}

// SoManyCans bounds what a learner grafts.
func SoManyCans(most int) string { return fmt.Sprintf("Between 1 and %d cans a learner.", most) }

// NoSuchBatch, BatchGone and BatchBegun say why a class cannot be made of a batch.
func NoSuchBatch(code string) string {
	return "There is no batch " + code + ". Make one in Match of the stock and the wood that the class is to have."
}

// BatchGone says that a batch was taken back.
func BatchGone(code string) string { return "Batch " + code + " was taken back. Choose another." }

// BatchBegun says that a batch is being grafted.
func BatchBegun(code string) string {
	return "Grafting has begun on batch " + code + ", so its tags stand. Choose one that nobody has begun."
}

// TooFewCans says that a batch has too few grafts for a class.
func TooFewCans(batch string, there, need, each int) string {
	return fmt.Sprintf("Batch %s has %d grafts of its main technique, and %d are needed: %d a learner would do.", batch, there, need, each)
}

// BoundAlready says why a class cannot go back to practice wood.
func BoundAlready(n int) string {
	return fmt.Sprintf("%d grafts are bound already, so the class is past its practice wood.", n)
}

// ToolsMissing asks what was done about tools that did not come back.
func ToolsMissing(n int) string {
	if n == 1 {
		return "1 tool is missing. Look for it before anybody leaves, or say here what was done about it."
	}
	return fmt.Sprintf("%d tools are missing. Look for them before anybody leaves, or say here what was done about them.", n)
}

// NoSuchPlace says that a class has no such place.
func NoSuchPlace(class string, place int) string {
	return fmt.Sprintf("Class %s has no place %d: the look was not kept.", class, place)
}

// NothingLives says that a learner has nothing to take home.
func NothingLives(place int) string {
	return fmt.Sprintf("Nothing of place %d lives, or nothing of it is counted yet.", place)
}

// LookHeld says why a look does not hold.
func LookHeld(place int, held string) string {
	at := fmt.Sprintf("Place %d: ", place)
	switch held {
	case "judged":
		return at + "another judged the same graft just before you. Theirs holds; yours is kept on the learner's page, where it can be " +
			"let hold."
	case "left":
		return at + "the learner had left, so this look does not count."
	case "shut":
		return at + "the class was not open then, so this look does not count."
	case "no cans":
		return at + "no can was left for it, so this look does not count."
	}
	return at + held
}

// HeldShort says it in few words.
func HeldShort(held string) string {
	return map[string]string{"judged": "does not hold: another judged it first", "left": "does not count: had left",
		"shut": "does not count: class not open", "no cans": "does not count: no can left"}[held]
}

// lookSays is what a look says on its button, and what of it is told afterwards.
var lookSays = map[learning.Says][2]string{
	learning.Right:       {"Near side meets, top and bottom", "right"},
	learning.SetOver:     {"Set over: push to the near side", "set over"},
	learning.NotFlat:     {"Face not flat: shave once more", "face not flat"},
	learning.UpsideDown:  {"Upside down", "upside down"},
	learning.Touched:     {"Face touched: cut anew", "face touched"},
	learning.WoodSpoilt:  {"Scion cut away: another piece", "scion cut away"},
	learning.StockSpoilt: {"Stock split: another can", "stock split"},
}

// LookButton is what the button of a look says.
func LookButton(s learning.Says) string { return lookSays[s][0] }

// LookTold is what is told of a look.
func LookTold(s string) string {
	if x, ok := lookSays[learning.Says(s)]; ok {
		return x[1]
	}
	return s
}

// CheckSays says which grafts of a class are looked at before they are bound.
func CheckSays(c string) string {
	switch ways.Check(c) {
	case ways.CheckEvery:
		return "Check before tape: nothing is bound until the near side is seen to meet."
	case ways.CheckCleared:
		return "Check before tape, until a learner is cleared: then they bind their own."
	}
	return "Grafts are bound without a look; looks are for learning."
}

// ClassState says how far a class's day is.
func ClassState(s string) string {
	return map[string]string{"opening": "to be opened", "warm-up": "on practice wood", "grafting": "grafting", "closed": "closed",
		"off": "called off"}[s]
}

// ClassCautions are the cautions that are read out to a class.
func ClassCautions(h ways.House) []string {
	out := CardCautions(h)
	return append(out, "Cut-proof glove on the hand that holds. Knives closed whenever you walk; nobody reaches across a blade.",
		"The first-aid kit is where everybody can see it. Blood: stop, clean, cover; that blade goes into the sharps tin.",
		"Anybody under age works beside a grown-up who answers for them, with their parents' word. Ask who has tetanus cover.")
}

// PracticeWood says what practice wood to bring.
func PracticeWood(unions int, metres float64, woods []learning.SoftWood) string {
	var out []string
	for _, w := range woods {
		out = append(out, fmt.Sprintf("%s (%s bark)", w.Genus, w.Bark))
	}
	return fmt.Sprintf("%d practice unions take about %.0f m of soft shoots of two colours, so that the joint shows: %s. They are not "+
		"counted.", unions,
		metres, strings.Join(out, ", "))
}

// ByLuck says how often somebody slow is cleared all the same.
func ByLuck(pct, run, cans int, chance float64) string {
	return fmt.Sprintf("%d in a hundred of the last %d first tries. Somebody right six times in ten, who gets no better, is let through "+
		"within %d grafts by luck %s.",
		pct, run, cans, inHundred(chance))
}

func inHundred(x float64) string {
	if x < 0.005 {
		return "less than once in two hundred classes"
	}
	return fmt.Sprintf("%.0f times in a hundred", 100*x)
}

// PlaceNamed names a place, with who sits there.
func PlaceNamed(place int, name string) string {
	if name == "" {
		return fmt.Sprintf("place %d", place)
	}
	return fmt.Sprintf("place %d, %s", place, name)
}

// TriesSay counts first tries.
func TriesSay(right, tries int) string {
	return fmt.Sprintf("%d of %d first tries right", right, tries)
}

// TrainerDrawn is a drawing's title.
func TrainerDrawn(stock, scion float64) string {
	return fmt.Sprintf("Looking onto the cut of a stock of %.1f mm, with a scion of %.1f mm to be laid on it", stock, scion)
}

// GuessSays tells how a scion was laid.
func GuessSays(score int, guess, best, met, most float64) string {
	return fmt.Sprintf("%d of 100: %.1f mm of cambium meets, of the %.1f mm that can. You laid it %.2f mm from the middle; it lies best "+
		"at %.2f mm.", score, met,
		most, guess, best)
}

// SeatTitle names what is looked at next at a place.
func SeatTitle(place, graft, try int, warm bool) string {
	nth := Ordinal(graft) + " graft"
	if warm {
		nth = Ordinal(graft) + " practice union"
	}
	if try > 1 {
		nth += ", " + Ordinal(try) + " try"
	}
	return fmt.Sprintf("Place %d, %s", place, nth)
}

var ordinals = []string{"", "first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth"}

// Ordinal is first, second, third.
func Ordinal(n int) string {
	if n > 0 && n < len(ordinals) {
		return ordinals[n]
	}
	switch {
	case n%100/10 == 1:
		return fmt.Sprintf("%dth", n)
	case n%10 == 1:
		return fmt.Sprintf("%dst", n)
	case n%10 == 2:
		return fmt.Sprintf("%dnd", n)
	case n%10 == 3:
		return fmt.Sprintf("%drd", n)
	}
	return fmt.Sprintf("%dth", n)
}

// WaitsFor says how long a learner has waited.
func WaitsFor(seconds float64) string {
	if seconds < 60 {
		return "just now"
	}
	return fmt.Sprintf("%.0f min", seconds/60)
}

// ClassWorking shows how the share right the first time was come by.
func ClassWorking(right, tries int, share, low, high float64) working.Working {
	return working.Working{
		Title:  "Right the first time",
		Answer: fmt.Sprintf("%d of %d first tries", right, tries),
		Range:  fmt.Sprintf("%s–%s, 90 %%", Pct(low), Pct(high)),
		Rule:   "right the first time",
		Says: "A graft is right the first time when its first look before the tape found it so. Practice wood is left out, and so are " +
			"looks that " +
			"do not hold. The range is that of a share with nothing known before.",
		Inputs: []working.Input{{Name: "Looks", Value: fmt.Sprint(tries), Source: working.OwnRecords}},
	}
}

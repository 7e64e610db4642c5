package words

import (
	"fmt"
	"strings"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/season"
	"unionknot/internal/core/ways"
)

// knotSays is what each step is called where it is to be done.
var knotSays = map[aftercare.Name]string{
	aftercare.FirstLook:   "First look",
	aftercare.TakeLook:    "Count what took",
	aftercare.Pot:         "Pot",
	aftercare.OpenCover:   "Open a corner of the cover",
	aftercare.CoverOff:    "Cover off",
	aftercare.LoosenTie:   "Loosen the tie",
	aftercare.Untie:       "Tie off",
	aftercare.BindLow:     "Bind the lower part once more",
	aftercare.LowTieOff:   "Lower tie off",
	aftercare.BudLook:     "Look at the sleeping buds",
	aftercare.HeadBack:    "Head back",
	aftercare.CutBack:     "Cut the top back",
	aftercare.SnagOff:     "Snag off",
	aftercare.Cane:        "Cane in",
	aftercare.TieShoot:    "Tie the shoot",
	aftercare.LoosenShoot: "Loosen the shoot and tie it again",
	aftercare.Pinch:       "Pinch",
	aftercare.ChooseShoot: "Choose the shoot",
	aftercare.Suckers:     "Rub suckers",
	aftercare.SecondLook:  "Count at the season's end",
	aftercare.Guard:       "Guard against animals",
	aftercare.Lift:        "Lift",
	aftercare.CleanUp:     "Clean up the limb",
	aftercare.KeepBest:    "Keep the best graft, cut the rest",
	aftercare.FitToSell:   "Fit to sell",
}

// KnotSays names a step, with its number where it has one that is told.
func KnotSays(k aftercare.Name, n int) string {
	switch {
	case k == aftercare.HeadBack && n == 1:
		return "Bend the top, or take a third off"
	case k == aftercare.HeadBack && n == 2:
		return "Head back above the bud"
	case n > 0 && (k == aftercare.Suckers || k == aftercare.LoosenShoot):
		return fmt.Sprintf("%s, round %d", knotSays[k], n)
	case n > 0 && k == aftercare.CutBack:
		return fmt.Sprintf("%s, step %d", knotSays[k], n)
	}
	return knotSays[k]
}

// KnotHow says how a step is done by the house's ways; "" where there is nothing to
// say beside its name.
func KnotHow(k aftercare.Name, n int, h ways.House) string {
	switch k {
	case aftercare.FirstLook:
		return "Roots moist, wax whole, labels there? Pale callus at the edges, the bud green and firm."
	case aftercare.TakeLook:
		return "Green shoots of the scion; those of the stock are rubbed off."
	case aftercare.Pot:
		return "Union " + UnionHeight(h) + ". Cane in before roots fill the pot."
	case aftercare.Untie:
		return "Cut the bottom turn and lift it off away from the bud; eyes covered."
	case aftercare.LoosenTie:
		return "Cut the bottom turn and leave it loose four days to harden."
	case aftercare.BudLook:
		return "Green under a scratch lives. Where it is brown the top stays, and the stock goes back to the bench."
	case aftercare.HeadBack:
		return headHow(n, h)
	case aftercare.CutBack:
		return "A third of the top; leave a few leaves on each side shoot."
	case aftercare.SnagOff:
		return "Flush with the shoot, sloping away from it."
	case aftercare.Pinch:
		return "All but the two top shoots."
	case aftercare.ChooseShoot:
		if h.OneShoot() {
			return "Keep the best shoot at once."
		}
		return "Of two buds keep the better; two shoots until one is safe, then the best."
	case aftercare.Suckers:
		if h.NurseShoot() {
			return "All below the union, but for one nurse shoot till the scion grows."
		}
		return "All of them below the union, rubbed, not cut."
	case aftercare.TieShoot:
		if h.HeadAt() == ways.HeadSnag {
			return "Loosely, to the cane or to the snag."
		}
		return "Loosely, to the cane."
	case aftercare.Guard:
		return "Mesh sunk a hand's width, paper wrap or collar. Some animals are protected; no poison without the law."
	case aftercare.CleanUp:
		return "Ties and labels off and on again; shoots of the stock below the grafts off, all but a nurse limb's; the graft's own " +
			"shoots to two."
	case aftercare.KeepBest:
		return "The best placed one; the others are shortened first where the stump has not closed, and cut by August. A spreader where " +
			"two stay."
	case aftercare.Lift:
		return "Soil moist, roots covered from wind at once. Two to lift a full bin."
	case aftercare.FitToSell:
		return "The union needs a season before it bears knocks. Plant with the union " + UnionHeight(h) + "."
	}
	return ""
}

func headHow(n int, h ways.House) string {
	switch {
	case n == 1:
		return "The stock keeps its top until the bud has taken."
	case n == 2:
		return "Sloping away from the bud."
	case h.HeadAt() == ways.HeadSnag:
		return "To a snag of 10–12 cm above the bud; the shoot is tied to it, and it comes off in autumn."
	case h.HeadAt() == ways.HeadSeasonEnd:
		return "At the season's end, just above the bud, sloping away from it."
	}
	return "Just above the bud, sloping away from it, when the stock starts."
}

// losesTo is what a missed last day costs a tree.
var losesTo = map[aftercare.Name]string{
	aftercare.Untie: "girdled", aftercare.LoosenTie: "girdled", aftercare.HeadBack: "overtaken by the stock",
	aftercare.Suckers:  "starved by suckers",
	aftercare.TieShoot: "broken", aftercare.Guard: "gnawed", aftercare.Pot: "lost to dry or circling roots",
	aftercare.CutBack: "overtaken by the top",
}

// LosesSays says what each week late costs; "" where it costs no tree.
func LosesSays(k aftercare.Name, share float64, own bool) string {
	if share <= 0 {
		if LookIs(k) {
			return "not counted in time, the cause is lost"
		}
		return ""
	}
	source := "house default"
	if own {
		source = "own records"
	}
	return fmt.Sprintf(
		"each week late about %s of 100 are %s (%s)",
		strings.TrimSuffix(fmt.Sprintf("%.1f", share*100), ".0"),
		losesTo[k],
		source,
	)
}

// LookIs says whether a step is a look.
func LookIs(k aftercare.Name) bool {
	return k == aftercare.FirstLook || k == aftercare.TakeLook || k == aftercare.BudLook || k == aftercare.SecondLook
}

var hangsSay = map[aftercare.Hangs]string{
	aftercare.OnFinish: "counted from the day it was grafted", aftercare.OnCallus: "by the callus clock of where it stands",
	aftercare.OnLook: "counted from the first look", aftercare.OnGrowth: "counted from the day the scion starts",
	aftercare.OnPot: "counted from potting", aftercare.OnSwell: "by bud swell", aftercare.OnRest: "by the day rest begins",
	aftercare.OnFrost: "by the first hard frost", aftercare.OnSeason: "by the end of the growing season",
	aftercare.OnStep: "counted from the step before it",
}

// HangsSay says what a step's days hang on.
func HangsSay(h aftercare.Hangs) string { return hangsSay[h] }

// MoveSays says what moved a step, and by how much.
func MoveSays(m aftercare.Move) string {
	days, way := m.Days, "later"
	if days < 0 {
		days, way = -days, "sooner"
	}
	what := map[aftercare.Mover]string{
		aftercare.ByPlace:  "the place's readings",
		aftercare.BySeason: "this year's season",
		aftercare.BySteps:  "what was done when",
	}
	return fmt.Sprintf("%s %s, by %s", Days(days), way, what[m.By])
}

// Days says so many days.
func Days(n int) string {
	if n == 1 {
		return "a day"
	}
	return fmt.Sprintf("%d days", n)
}

// WindowSays says when a step falls, about today.
func WindowSays(w aftercare.Window, today aftercare.Day) string {
	switch {
	case today > w.By:
		return "due since " + season.Say(w.By.Date()) + ", " + Days(int(today-w.By)) + " late"
	case today >= w.From:
		return "due, until " + season.Say(w.By.Date())
	}
	return season.Say(w.From.Date()) + " to " + season.Say(w.By.Date())
}

// LookFor says what tells a taken graft from a dead one, by how it was made.
func LookFor(technique string, film, row bool) []string {
	switch {
	case technique == aftercare.TBud && !film:
		return []string{
			"Touch the petiole: it drops clean, taken.",
			"It hangs on, withered: dead.",
			"Where it was snapped off, the bud: green, not brown.",
		}
	case technique == aftercare.TBud:
		return []string{"Through the film: the bud plump and green, taken.", "Shrunk or brown: dead."}
	case technique == aftercare.ChipBud:
		return []string{"A pale edge of callus all round the chip, the bud green: taken.", "An edge that gapes, the chip brown: dead."}
	case technique == aftercare.BarkFlap:
		return []string{"Open the flap: the scion green under a scratch, taken.", "Black at the cut, or loose: dead."}
	case row:
		return []string{"Buds swelling, the bark smooth: taken.", "Shrivelled, buds dry: dead."}
	}
	return []string{"Pale callus where the edges meet, the bud green and firm: taken.", "Black or slimy at the cut, or loose: dead.",
		"Shoots of the stock come first: rub them off."}
}

// CallusSays says how far grafts have callused, and from when they are looked at.
func CallusSays(share float64, from aftercare.Day) string {
	return fmt.Sprintf("callused %.0f %%, look from %s", min(share, 9.99)*100, season.Say(from.Date()))
}

// CalendarTitle names an entry of a calendar.
func CalendarTitle(k aftercare.Name, n, trees int, what, place string) string {
	return fmt.Sprintf("%s: %s, %s (%d trees)", KnotSays(k, n), what, place, trees)
}

// Follows is a step that comes after a graft, as a person reads it.
type Follows struct {
	What string
	On   time.Time // zero: not by a day
}

// FollowSays says one step that follows.
func FollowSays(f Follows) string {
	if f.On.IsZero() {
		return f.What
	}
	return f.What + ": " + season.Say(f.On)
}

// FollowUp lists what follows a graft, in the order of its days: rounds once. tie is
// its tie's name; gives says that it need not come off; potted, that it stands in a
// pot from the first day.
func FollowUp(p aftercare.Plan, h ways.House, tie string, gives, potted bool, finished time.Time) []Follows {
	var out []Follows
	if gives {
		out = append(out, Follows{Capital(tie) + " stays: it gives", time.Time{}})
	}
	seen := map[aftercare.Name]bool{}
	for _, k := range p.Knots {
		if seen[k.Name] && (k.Name == aftercare.Suckers || k.Name == aftercare.LoosenShoot || k.Name == aftercare.Guard) {
			continue
		}
		seen[k.Name] = true
		says := KnotSays(k.Name, 0)
		if k.Name == aftercare.HeadBack || k.Name == aftercare.CutBack {
			says = KnotSays(k.Name, k.N)
		}
		if how := KnotHow(k.Name, k.N, h); how != "" {
			says += " (" + strings.TrimSuffix(how, ".") + ")"
		}
		out = append(out, Follows{says, k.Best.Date()})
	}
	if potted {
		end := time.Date(finished.Year(), time.October, 31, 0, 0, 0, 0, time.UTC).AddDate(h.PotYears(), 0, 0)
		out = append(out, Follows{"Out of the pot, before the roots circle", end})
	}
	return out
}

// What is said of walks.
const (
	ReloadWalk      = "This page is not as the house has it. Load it anew, and do it again."
	DayAhead        = "That day is still to come. Note it when it is done."
	TooLong         = "That is too long: a reason has 300 letters at most, a place 80."
	NoSuchStep      = "There is no such step. Load the page anew."
	LooksAreCounted = "A look is done by counting: key in what took, in Heal."
	DoneMeanwhile   = "Somebody did the same in this moment; it is kept once."
	NotSoMany       = "Fewer stand there than that: others were lost or sold meanwhile. Look at what stands now."
	NotGrowing      = "One of these tags is not growing here any more. Load the page anew."
	SayTreesLost    = "Say how many trees: one or more."
	SayCause        = "Choose what they were lost to from the list."
	NothingToUndo   = "There is nothing of that to take back any more."
	SellPropagator  = "Selling and planting out is the propagator's."
	SayRound        = "Give a place, what is done there, and every how many days: 1 to 400."
	RuleDays        = "From, best and by are days in that order, each between −400 and 800."
)

// TooManyAtOnce says how many can be at most.
func TooManyAtOnce(most int) string { return fmt.Sprintf("At most %d at a time.", most) }

// NothingStands says that nothing of a tag lives.
func NothingStands(code string) string { return "Nothing of " + code + " stands any more." }

// BeforeItsGraft says that a day lies before the graft.
func BeforeItsGraft(code string) string { return code + " was not grafted yet on that day." }

// NotItsStep says that a tag has no such step.
func NotItsStep(code string, k aftercare.Name, n int) string {
	return fmt.Sprintf("%s has no such step: %s.", code, strings.ToLower(KnotSays(k, n)))
}

// BeforeItsTime asks for a reason why a step is done before its window.
func BeforeItsTime(k aftercare.Name, n int, w aftercare.Window, on aftercare.Hangs) string {
	return fmt.Sprintf(
		"%s is not due before %s, %s. If it is done all the same, say why.",
		KnotSays(k, n),
		season.Say(w.From.Date()),
		HangsSay(on),
	)
}

// NotFit says from when trees are fit to sell.
func NotFit(from aftercare.Day) string {
	return "Not fit to sell before " + season.Say(from.Date()) + " " + from.Date().Format("2006") +
		": the union needs a season before it bears knocks. If they go all the same, say why."
}

// DoneAlready says by whom a step was done.
func DoneAlready(k aftercare.Name, who string, on time.Time, tags int) string {
	return fmt.Sprintf("%s: done already by %s on %s (%s).", KnotSays(k, 0), who, season.Say(on), Tags(tags))
}

// Tags says so many tags.
func Tags(n int) string {
	if n == 1 {
		return "one tag"
	}
	return fmt.Sprintf("%d tags", n)
}

// MoreThanStand says that more were named than stand there.
func MoreThanStand(n, stand int) string {
	return fmt.Sprintf("You gave %d, but only %d stand there. Nothing was kept: count again.", n, stand)
}

// BenchDay names a day at the bench.
func BenchDay(grafts int) string { return fmt.Sprintf("Bench day: %d grafts", grafts) }

// WindowOpens and WindowShuts name the days on which a technique can be done from, and
// to.
func WindowOpens(technique, group string) string {
	return Capital(technique) + " opens for " + strings.ToLower(group)
}

// WindowShuts names the last day of a technique.
func WindowShuts(technique, group string) string {
	return Capital(technique) + " shuts for " + strings.ToLower(group)
}

// YearSays says what a year's work has become.
func YearSays(made, lost, gone, standing int) string {
	return fmt.Sprintf("%d made: %d stand, %d sold or planted, %d lost", made, standing, gone, lost)
}

// SetBetween says between what a place is set.
func SetBetween(low, high float64) string {
	return fmt.Sprintf("It is set between %g and %g °C.", low, high)
}

// Drifts says what a healing place that is off does, and what to do.
func Drifts(now, set float64, out bool, days, tags int) (says, do string) {
	switch {
	case days < 0:
		says = fmt.Sprintf("it ran warmer than it is set, and looks come up to %s sooner (%s)", Days(-days), Tags(tags))
		do = "Look at them by the new days; shoots that start in the dark are weak."
	case days > 0:
		says = fmt.Sprintf("it ran colder than it is set, and looks come up to %s later (%s)", Days(days), Tags(tags))
		do = "See to its heat; callus stops at 0 °C."
	}
	if out {
		if says != "" {
			says += "; "
		}
		says += fmt.Sprintf("it is at %.1f °C now, set to %g", now, set)
		if do == "" {
			do = "See to its heat or its air."
		}
	}
	return Capital(says), do
}

// Exposed says that what stands tender is in danger of frost or heat.
func Exposed(c float64, frost bool, trees int) (says, do string) {
	if frost {
		return fmt.Sprintf("%.1f °C: frost, and %d trees stand tender", c, trees), "Cover them, or keep the air moving."
	}
	return fmt.Sprintf("%.1f °C: too hot for %d trees that stand tender", c, trees), "Air and shade."
}

// LateStep says that a step is late.
func LateStep(k aftercare.Name, n int, w aftercare.Window, today aftercare.Day, trees int) string {
	return fmt.Sprintf("%s (%d trees): %s", KnotSays(k, n), trees, WindowSays(w, today))
}

// DemoDayAhead says that a demo's day moves on alone.
const DemoDayAhead = "The demo's day moves on, never back: make demo-reset begins anew."

// ruleSays names the numbers of a step, and from which day they are counted.
var ruleSays = map[aftercare.Rule][2]string{
	"callus-in-the-row":                 {"callus in the row", "the graft"},
	"first-look":                        {"first look", "the graft"},
	"first-look-t-bud":                  {"first look, T-bud", "the graft"},
	"first-look-t-bud-under-film":       {"first look, T-bud under film", "the graft"},
	"first-look-chip":                   {"first look, chip", "the graft"},
	"first-look-bark-flap":              {"first look, bark flap", "the graft"},
	"take-look":                         {"take look", "the start of growth"},
	"pot":                               {"pot", "callus"},
	"open-cover":                        {"open cover", "the graft"},
	"cover-off":                         {"cover off", "35 days, or growth"},
	"cover-off-growth-seen":             {"cover off, growth seen", "growth seen"},
	"loosen-tie":                        {"loosen tie", "6 weeks, or 4 after growth"},
	"untie":                             {"untie", "the tie's weeks, or 4 after growth"},
	"untie-loosened":                    {"untie, loosened", "the loosening"},
	"untie-sleeping-t-bud":              {"untie, sleeping T-bud", "the bud"},
	"untie-sleeping-chip":               {"untie, sleeping chip", "the bud"},
	"untie-late-winter":                 {"untie, late winter", "bud swell"},
	"untie-growing-t-bud":               {"untie, growing T-bud", "the bud"},
	"untie-growing-chip":                {"untie, growing chip", "the first look"},
	"untie-bark-flap":                   {"untie, bark flap", "the first look"},
	"bind-low":                          {"bind low", "the first look"},
	"low-tie-off":                       {"low tie off", "binding low"},
	"bud-look":                          {"bud look", "bud swell"},
	"head-back-late-winter":             {"head back, late winter", "bud swell"},
	"head-back-seasons-end":             {"head back, season's end", "rest"},
	"head-back-1":                       {"head back 1", "the bud, or a week after potting"},
	"head-back-2":                       {"head back 2", "the first look, or 14 days after that"},
	"cut-back-bark-flap":                {"cut back, bark flap", "the first look, each 30 days"},
	"cut-back-side-veneer":              {"cut back, side veneer", "14 days after growth, each 30 days"},
	"cane-bench":                        {"cane, bench", "potting"},
	"cane-row":                          {"cane, row", "the start of growth"},
	"tie-shoot":                         {"tie shoot", "the start of growth"},
	"loosen-shoot":                      {"loosen shoot", "the tying, each 30 days"},
	"pinch":                             {"pinch", "the start of growth"},
	"choose-shoot":                      {"choose shoot", "the start of growth"},
	"choose-shoot-at-once":              {"choose shoot, at once", "the start of growth"},
	"suckers":                           {"suckers", "each 12 days"},
	"second-look-seasons-end-not-known": {"second look, season's end not known", "the graft"},
	"guard":                             {"guard", "the first hard frost"},
	"lift":                              {"lift", "rest"},
	"clean-up":                          {"clean up the limb", "the count at the season's end"},
	"keep-best":                         {"keep the best graft of a limb", "the count at the season's end"},
	"fit-to-sell":                       {"fit to sell", "when all of it is done"},
}

// RuleSays names the numbers of a step, and says from which day they are counted.
func RuleSays(r aftercare.Rule) (name, from string) {
	s := ruleSays[r]
	return Capital(s[0]), s[1]
}

// LabelsAsked asks for a number of labels that can be.
func LabelsAsked(tied int) string {
	return fmt.Sprintf("Labels for the buyer: say how many, from 1 to the %d that were made.", tied)
}

// RateIsWorth names how much the house's rate of grafts an hour counts for.
const RateIsWorth = "The house's rate is worth"

// FewerThanWent says that a count leaves fewer than were lost or sold after it.
const FewerThanWent = "More were lost or sold since that look than this count leaves. Take those back first, on the tag's page in Grow on."

// Callused says how far grafts have callused: a share, until it is through.
func Callused(share float64) string {
	if share >= 1 {
		return "through"
	}
	return Pct(share)
}

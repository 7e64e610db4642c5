package words

// FirstSaid is what a step of a house's first hour is called, and what it is for.
type FirstSaid struct{ Name, For, Do string }

var firstSteps = map[string]FirstSaid{
	"site": {"Your site", "Which year you have: when stock rests, when bark slips, when frost comes. Every window hangs on it.",
		"Set the site"},
	"people": {"Your people", "Who cuts and ties, how long they are here, and what they know. Bench hands get a PIN for the tablet.",
		"Take people on"},
	"grown": {"What you grow", "It is offered first wherever a genus is chosen, and its season stands on the band.", "Say what you grow"},
	"stock": {"Your first lot", "Stems that came or were lined out together. Measure some, and the product knows how many of each size " +
		"there are.", "Take a lot in"},
	"wood": {"Your first wood", "A mother plant, seen true, and what was cut of it: how many pieces, how thick, and until when it " +
		"keeps.", "Note a plant and its wood"},
	"order": {"Your first order", "Trees wanted, on which stock, by when. How many to graft for them follows, with what is lacking.",
		"Key in an order"},
	"match": {"The weave", "Which stem takes which wood, by which technique. What it uses is set aside.", "Match it"},
	"bench": {"The bench", "Tags, shared out over people and days. Each graft is one tap on a tablet, or keyed in from paper.",
		"Share it out"},
	"count": {"The first count", "What took, and what of it was lost to what. From then on takes are your own, and no longer the " +
		"default.", "Count it"},
}

// FirstStep says what a step of a house's first hour is.
func FirstStep(key string) FirstSaid { return firstSteps[key] }

// What is said of what a house grows.
const (
	GrownKept   = "Kept. These are offered first from now on."
	GrownChoose = "Tick what you grow."
)

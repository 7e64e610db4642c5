package wood

// Marks are what decides that wood can be cut, by its state.
var Marks = map[string][]string{
	"resting": {
		"deep rest",
		"last season's growth",
		"buds plump",
		"leaf buds, not flower",
		"a second bud beside the first",
		"bark green under a scratch",
	},
	"half-ripe":  {"shoot of middling age", "bends, does not snap soft", "bud plump", "leaves off"},
	"ripe green": {"bark turning brown", "down rubs off", "end bud set", "bud plump", "leaves taken off to 10–15 mm of stalk"},
}

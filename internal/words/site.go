package words

// What is said of a site.
const (
	ChooseClimate = "Choose the climate that is nearest to yours."
	SiteSetSince  = "The site was set anew since, or taken back already. It is shown as it stands."
	SiteSet       = "Every group has the house defaults of that climate. What you see here, and your own dates, move them from now on."
	SiteBack      = "The site's dates are as they were."
)

var climates = map[string][2]string{
	"cold":       {"Cold", "far from the line or high up: a short summer, long frost"},
	"inland":     {"Inland", "hard winters, warm summers, spring all at once"},
	"maritime":   {"By the sea", "mild winters, cool summers, a long autumn"},
	"mild":       {"Mild", "hot summers, winters with little frost"},
	"frost-free": {"Frost-free", "no winter: stock takes no rest and grows in flushes"},
}

// ClimateName names a climate.
func ClimateName(key string) string { return climates[key][0] }

// ClimateIs says what a climate is like.
func ClimateIs(key string) string { return climates[key][1] }

// SiteIs names a site.
func SiteIs(climate string, south bool) string {
	if south {
		return ClimateName(climate) + ", south of the line"
	}
	return ClimateName(climate) + ", north of the line"
}

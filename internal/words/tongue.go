package words

import (
	"embed"
	"encoding/json"
	"fmt"
	"sort"
	"strings"

	"golang.org/x/text/language"
	"golang.org/x/text/message"
	"golang.org/x/text/message/catalog"
)

//go:embed tongues/*.json
var tongueFiles embed.FS

// Tongue is a language in which somebody may read their own page.
type Tongue struct {
	Key  string // of two or three letters; "" is English
	Name string // by itself
}

// Tongues are those there are, English first.
var Tongues, tongues = readTongues()

// readTongues reads what ships: one file a tongue, the English text being the key. A file that
// cannot be read is a fault of the build, not of a request.
func readTongues() ([]Tongue, catalog.Catalog) {
	b := catalog.NewBuilder(catalog.Fallback(language.English))
	list := []Tongue{{"", "English"}}
	files, err := tongueFiles.ReadDir("tongues")
	if err != nil {
		panic(fmt.Sprint("tongues: ", err))
	}
	for _, f := range files {
		key := strings.TrimSuffix(f.Name(), ".json")
		text, err := tongueFiles.ReadFile("tongues/" + f.Name())
		if err != nil {
			panic(fmt.Sprint("tongues: ", err))
		}
		says := map[string]string{}
		if err := json.Unmarshal(text, &says); err != nil {
			panic(fmt.Sprint("tongue ", key, ": ", err))
		}
		list = append(list, Tongue{key, says["English"]})
		for english, s := range says {
			if err := b.SetString(language.Make(key), english, s); err != nil {
				panic(fmt.Sprint("tongue ", key, ": ", err))
			}
		}
	}
	sort.Slice(list[1:], func(i, j int) bool { return list[i+1].Name < list[j+1].Name })
	return list, b
}

// IsTongue says whether there is a tongue of that key.
func IsTongue(key string) bool {
	for _, t := range Tongues {
		if t.Key == key {
			return true
		}
	}
	return false
}

// In says an English text in a tongue, with numbers as it writes them; in English where it has
// no words for it.
func In(tongue, english string, args ...any) string {
	tag := language.English
	if tongue != "" {
		tag = language.Make(tongue)
	}
	return message.NewPrinter(tag, message.Catalog(tongues)).Sprintf(english, args...)
}

// Texts of a worker's own page that are not in its template.
const (
	SeasonTitle   = "Take by season"
	HourTitle     = "Take by the hour"
	TurnTitle     = "Take by the turn in the day"
	PracticeTitle = "Take over how many were made before"
	PracticeUnit  = "grafts made before, of the same technique"
	OwnTitle      = "Takes by technique"
	NoSuchTongue  = "Choose a language from the list."
)

// PracticeMoves says by how much each doubling of practice moves the take, in a tongue.
func PracticeMoves(tongue string, low, high float64) string {
	lo, hi := fmt.Sprintf("%.0f", 100*abs(low)), fmt.Sprintf("%.0f", 100*abs(high))
	switch {
	case low > 0:
		return In(tongue, "Each time the number you have made doubles, %s to %s more in 100 take.", lo, hi)
	case high < 0:
		return In(tongue, "Each time the number you have made doubles, %s to %s fewer in 100 take: tired hands or worn blades look like "+
			"that.", hi, lo)
	}
	return In(tongue, "Whether practice still moves your takes cannot be told: between %s fewer and %s more in 100 at each doubling.", lo,
		hi)
}

func abs(x float64) float64 {
	if x < 0 {
		return -x
	}
	return x
}

package words

import (
	"embed"
	"encoding/json"
	"fmt"
	"regexp"
	"sort"
	"strings"
	"time"

	"golang.org/x/text/feature/plural"
	"golang.org/x/text/language"
	"golang.org/x/text/message"
	"golang.org/x/text/message/catalog"
)

//go:embed tongues/*.json
var tongueFiles embed.FS

// Tongue is a language in which somebody may read the pages that are in it.
type Tongue struct {
	Key  string // of two or three letters; "" is English
	Name string // by itself
}

// Tongues are those there are, English first.
var Tongues, tongues, told = readTongues()

// readTongues reads what ships: one file a tongue, the English text being the key, as a catalogue
// of texts with figures and as they stand. A file that cannot be read is a fault of the build, not
// of a request.
func readTongues() ([]Tongue, catalog.Catalog, map[string]map[string]string) {
	told := map[string]map[string]string{}
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
		list, told[key] = append(list, Tongue{key, says["English"]}), says
		for english, s := range says {
			if err := b.SetString(language.Make(key), english, s); err != nil {
				panic(fmt.Sprint("tongue ", key, ": ", err))
			}
		}
	}
	sort.Slice(list[1:], func(i, j int) bool { return list[i+1].Name < list[j+1].Name })
	return list, b, told
}

// Told gives an English text as it stands in a tongue's file; false: it is not there.
func Told(tongue, english string) (string, bool) {
	s, ok := told[tongue][english]
	return s, ok
}

// Tell says a whole text in a tongue, in English where it has no words for it.
func Tell(tongue, english string) string {
	if s, ok := Told(tongue, english); ok {
		return s
	}
	return english
}

var nameOfTime = regexp.MustCompile(`[A-Z][a-z]+`)

// On says a time as a layout has it, with the months and days of a tongue.
func On(tongue string, t time.Time, layout string) string {
	s := t.Format(layout)
	if tongue == "" {
		return s
	}
	return nameOfTime.ReplaceAllStringFunc(s, func(name string) string { return Tell(tongue, name) })
}

// Counted says so many of something in a tongue, whose file has the forms after "one|many": of one
// and of others, or of one, of few and of many, where it tells these apart.
func Counted(tongue string, n int, one, many string) string {
	forms := []string{one, many}
	tag := language.English
	if s, ok := Told(tongue, one+"|"+many); ok {
		forms, tag = strings.Split(s, "|"), language.Make(tongue)
	}
	form := forms[len(forms)-1]
	switch plural.Cardinal.MatchPlural(tag, n, 0, 0, 0, 0) {
	case plural.One:
		form = forms[0]
	case plural.Few:
		form = forms[min(1, len(forms)-1)]
	}
	return Thousands(n) + " " + form
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

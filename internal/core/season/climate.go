package season

import "time"

// Climate is a sort of site, by which its usual dates begin until it has its own.
type Climate string

// The climates.
const (
	Maritime  Climate = "maritime"   // cool summers, mild winters: the house defaults
	Inland    Climate = "inland"     // warm summers, hard winters
	Cold      Climate = "cold"       // far from the line or high up: a short summer
	Mild      Climate = "mild"       // hot summers, winters with little frost
	FrostFree Climate = "frost-free" // no winter: stock takes no rest
)

// Climates are all of them, from the coldest.
var Climates = []Climate{Cold, Inland, Maritime, Mild, FrostFree}

// Site is where a house stands, as far as its usual dates go by it.
type Site struct {
	Climate Climate
	South   bool // of the line: the year is turned by half
}

// shift is by how many days a climate's signs come later than in a maritime one.
type shift struct{ spring, ripe, autumn, lastFrost, firstFrost int }

// shifts and usual are house defaults: the first of how signs lie, the second of the mean
// temperatures in °C of the months from January, north of the line.
var (
	shifts = map[Climate]shift{
		Cold: {26, 14, -22, 24, -30}, Inland: {12, 4, -10, 8, -16}, Maritime: {}, Mild: {-18, -10, 24, -50, 34},
		FrostFree: {-18, -10, 24, -50, 34},
	}
	usual = map[Climate]Normals{
		Cold:      {-8, -7, -2.5, 3.5, 9.5, 14.5, 17, 15.5, 10.5, 5, -1, -5.5},
		Inland:    {-3, -1.5, 4, 9.5, 15, 18.5, 20.5, 20, 15, 9.5, 3.5, -1},
		Maritime:  {2.5, 3, 5.5, 8.5, 12, 15, 17, 16.8, 14, 10, 6, 3.5},
		Mild:      {8, 9, 11, 13.5, 17.5, 21.5, 24, 24, 21, 17, 12, 9},
		FrostFree: {18, 18.5, 19.5, 20.5, 21.5, 22, 22, 22, 21.5, 20.5, 19.5, 18.5},
	}
)

// Known says whether it is one of the climates.
func (s Site) Known() bool { _, ok := usual[s.Climate]; return ok }

// Rests says whether stock of any group takes a rest there.
func (s Site) Rests() bool { return s.Climate != FrostFree }

// Normals are the usual mean temperatures there, from January.
func (s Site) Normals() (n Normals) {
	for m := range n {
		from := m
		if s.South {
			from = (m + 6) % 12
		}
		n[m] = usual[s.Climate][from]
	}
	return n
}

// Usual moves a sign's usual day of a maritime site north of the line to this one.
func (s Site) Usual(kind string, month, day int) (int, int) {
	by := 0
	x := shifts[s.Climate]
	switch kind {
	case BudSwell, SlipBegins:
		by = x.spring
	case BudwoodRipe:
		by = x.ripe
	case SlipEnds, RestBegins:
		by = x.autumn
	case LastFrost:
		by = x.lastFrost
	case FirstHardFrost:
		by = x.firstFrost
	}
	t := time.Date(2027, time.Month(month), day+by, 0, 0, 0, 0, time.UTC)
	m, d := int(t.Month()), t.Day()
	if s.South {
		m = (m+5)%12 + 1
	}
	return m, min(d, 28) // every month has it
}

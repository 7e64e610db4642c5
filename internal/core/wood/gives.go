package wood

// Gives is how many sticks a mother plant gives in a season, and from what that
// is known.
type Gives struct {
	Sticks int
	From   GivesFrom
}

// GivesFrom is what is known of what a mother plant gives.
type GivesFrom string

// What is known of what a mother plant gives, what counts first first.
const (
	GivesEntered GivesFrom = "entered" // somebody judged its size
	GivesRecord  GivesFrom = "record"  // it gave as many in a season before
	GivesByAge   GivesFrom = "age"     // by its years
	GivesUnknown GivesFrom = "unknown" // neither age nor record is known
)

// sticksByAge is what a plant gives by the years since it was planted, up to each.
// House default.
var sticksByAge = []struct{ years, sticks int }{{1, 0}, {2, 5}, {4, 20}, {8, 60}, {15, 120}, {1 << 30, 200}}

// sticksUnknown is what a plant of which nothing is known gives. House default.
const sticksUnknown = 60

// PlantGives says what a mother plant gives in a season: what was entered of its
// size; else what it gave at most in a season before, or what one of its years
// does, whichever is more. Entered is below 0 where nothing was, years below 0
// where its planting is not known.
func PlantGives(entered, years, record int) Gives {
	if entered >= 0 {
		return Gives{entered, GivesEntered}
	}
	g := Gives{sticksUnknown, GivesUnknown}
	if years >= 0 {
		for _, a := range sticksByAge {
			if years <= a.years {
				g = Gives{a.sticks, GivesByAge}
				break
			}
		}
	}
	if record > g.Sticks {
		g = Gives{record, GivesRecord}
	}
	return g
}

// Share gives each plant its part of the sticks wanted: alike among the first few,
// none more than it has left to give, and what they cannot give from the others in
// their order. What nobody can give is left over.
func Share(sticks, few int, left []int) (shares []int, over int) {
	shares = make([]int, len(left))
	few = max(1, min(few, len(left)))
	if len(left) == 0 {
		return shares, sticks
	}
	for i := range few {
		shares[i] = min(left[i], sticks*(i+1)/few-sticks*i/few)
	}
	over = sticks
	for _, n := range shares {
		over -= n
	}
	for i := range shares {
		more := min(over, left[i]-shares[i])
		if more > 0 {
			shares[i] += more
			over -= more
		}
	}
	return shares, over
}

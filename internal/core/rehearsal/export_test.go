package rehearsal

// PlayApart plays the first of each pair only: so many seasons drawn apart from each other.
func PlayApart(s Season, seasons int, seed uint64) (Answer, error) {
	return playing(s, 2*seasons, seed, Nothing, true)
}

// Binomial is what a job's grafts are drawn by.
func Binomial(n int, p, u float64) int { return factorials(n).binomial(n, p, u) }

// Share is a stage's share for a draw.
func Share(s Stage, z float64) float64 { return curveOf(s).at(z) }

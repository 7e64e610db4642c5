package rehearsal

// PlayApart plays the first of each pair only: so many seasons drawn apart from each other.
func PlayApart(s Season, seasons int, seed uint64) (Answer, error) {
	return playing(s, 2*seasons, seed, Nothing, true)
}

// Share is a stage's share for a draw.
func Share(s Stage, z float64) float64 { return curveOf(s).at(z) }

package rehearsal

import "math"

// logFactorial gives ln n! for n up to what a job may hold.
type logFactorial []float64

func factorials(n int) logFactorial {
	out := make(logFactorial, n+1)
	for i := 1; i <= n; i++ {
		out[i] = out[i-1] + math.Log(float64(i))
	}
	return out
}

// fewGrafts is up to how many failures are expected that they are counted up from none.
const fewGrafts = 8

// binomial gives how many of n live where each does with chance p, for u uniform on (0, 1): it
// rises with u, and so goes with the same luck where p or n change. Exact.
func (lf logFactorial) binomial(n int, p, u float64) int {
	switch {
	case n == 0 || p <= 0:
		return 0
	case p >= 1:
		return n
	}
	// Counted from the rarer side; of the failures a high u means few.
	if p > 0.5 {
		return n - lf.rare(n, 1-p, 1-u)
	}
	return lf.rare(n, p, u)
}

// rare inverts the distribution function for p up to a half.
func (lf logFactorial) rare(n int, p, u float64) int {
	q, odds := 1-p, p/(1-p)
	if float64(n)*p <= fewGrafts {
		// From none on: the first terms have nearly all the chance.
		f := math.Exp(float64(n) * math.Log1p(-p))
		k := 0
		for u > f && k < n {
			u -= f
			f *= odds * float64(n-k) / float64(k+1)
			k++
			if f < 1e-18 && float64(k) > float64(n)*p {
				break
			}
		}
		return k
	}
	// From the mode outwards would not rise with u: from the middle, down or up.
	m := int(float64(n+1) * p)
	f := math.Exp(lf[n] - lf[m] - lf[n-m] + float64(m)*math.Log(p) + float64(n-m)*math.Log(q))
	return lf.walk(n, m, f, odds, u)
}

// walk finds the least k whose distribution function reaches u, from the mode m with its
// chance f: the function there is added up over the terms below it that matter.
func (lf logFactorial) walk(n, m int, f, odds, u float64) int {
	below := 0.0
	g := f
	for k := m; k > 0; k-- {
		g *= float64(k) / (odds * float64(n-k+1))
		below += g
		if g < 1e-14*f {
			break
		}
	}
	if u > below { // at the mode or above it
		g, k, at := f, m, below+f
		for u > at && k < n {
			g *= odds * float64(n-k) / float64(k+1)
			k++
			at += g
			if g < 1e-16 {
				break
			}
		}
		return k
	}
	g, k, at := f, m, below // the function at k − 1
	for k > 0 && u <= at {
		g *= float64(k) / (odds * float64(n-k+1))
		k--
		at -= g
		if g < 1e-16 {
			break
		}
	}
	return k
}

// Draw gives how many of n live where each does with chance p, for u uniform on (0, 1).
func Draw(n int, p, u float64) int { return factorials(n).binomial(n, p, u) }

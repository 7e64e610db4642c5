package pace_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/pace"
)

func TestWhatIsMarkedWasDoneSinceTheLastMark(t *testing.T) {
	at := func(day, hour, minute int) time.Time { return time.Date(2027, 4, day, hour, minute, 0, 0, time.UTC) }
	const rate = 150.0
	for name, c := range map[string]struct {
		marks         []pace.Mark
		tags          int
		grafts, hours float64
	}{
		"nothing":                      {},
		"one mark says nothing":        {[]pace.Mark{{1, at(1, 8, 0), 60}}, 0, 0, 0},
		"two":                          {[]pace.Mark{{1, at(1, 8, 0), 60}, {1, at(1, 8, 30), 80}}, 1, 80, 0.5},
		"in any order":                 {[]pace.Mark{{1, at(1, 8, 30), 80}, {1, at(1, 8, 0), 60}}, 1, 80, 0.5},
		"each their own":               {[]pace.Mark{{1, at(1, 8, 0), 60}, {2, at(1, 8, 10), 60}, {1, at(1, 8, 30), 80}}, 1, 80, 0.5},
		"another day":                  {[]pace.Mark{{1, at(1, 16, 0), 60}, {1, at(2, 8, 0), 80}}, 0, 0, 0},
		"a row of several tags at one": {[]pace.Mark{{1, at(1, 8, 0), 60}, {1, at(1, 8, 30), 40}, {1, at(1, 8, 30), 40}}, 1, 80, 0.5},
		"lunch between":                {[]pace.Mark{{1, at(1, 11, 0), 60}, {1, at(1, 14, 0), 80}}, 0, 0, 0},
		"noted in one go afterwards":   {[]pace.Mark{{1, at(1, 16, 0), 60}, {1, at(1, 16, 3), 80}, {1, at(1, 16, 6), 90}}, 0, 0, 0},
		"too few trees":                {[]pace.Mark{{1, at(1, 8, 0), 60}, {1, at(1, 8, 2), 4}}, 0, 0, 0},
		"and on from them":             {[]pace.Mark{{1, at(1, 8, 0), 60}, {1, at(1, 8, 2), 4}, {1, at(1, 8, 32), 80}}, 1, 80, 0.5},
	} {
		t.Run(name, func(t *testing.T) {
			r := pace.Walked(c.marks, rate)
			assert.Equal(t, c.tags, r.Tags)
			assert.InDelta(t, c.grafts, r.Grafts, 1e-9)
			assert.InDelta(t, c.hours, r.Hours, 1e-9)
		})
	}
	assert.Zero(t, pace.Walked([]pace.Mark{{1, at(1, 8, 0), 60}, {1, at(1, 8, 30), 80}}, 0).Tags, "nothing to hold it to")
}

// TestAWalksPaceIsLearned: crews of a pace of their own, who rest, are called away and note some of
// it afterwards; the range holds the truth about nine times in ten, and the order of marks is all one.
func TestAWalksPaceIsLearned(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	const rate, crews = 240.0, 400
	within, off := 0, 0.0
	for range crews {
		truth := math.Exp(0.3 * r.NormFloat64())
		var marks []pace.Mark
		for person := range 3 {
			for day := range 6 {
				now := time.Date(2027, 4, 1+day, 8, 0, 0, 0, time.UTC)
				for range 9 {
					n := 20 + r.IntN(120)
					hour := rate * truth * math.Exp(0.25*r.NormFloat64()+0.25*0.25/2) // in the long run rate · truth
					now = now.Add(time.Duration(float64(n) / hour * float64(time.Hour)))
					marks = append(marks, pace.Mark{Person: int64(person + 1), At: now, Trees: n})
					if r.IntN(9) == 0 {
						now = now.Add(3 * time.Hour) // called away
						marks = append(marks, pace.Mark{Person: int64(person + 1), At: now, Trees: 30 + r.IntN(20)})
					}
				}
			}
		}
		want := pace.Walked(marks, rate)
		slices.Reverse(marks)
		assert.Equal(t, want, pace.Walked(marks, rate))
		is := pace.Of([]pace.Record{want})
		if is.Low <= truth && truth <= is.High {
			within++
		}
		off += is.Mean/truth - 1
	}
	assert.InDelta(t, 0.90, float64(within)/crews, 0.06)
	assert.InDelta(t, 0, off/crews, 0.04, "neither fast nor slow on the whole")
}

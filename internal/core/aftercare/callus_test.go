package aftercare_test

import (
	"encoding/json"
	"fmt"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/aftercare"
)

// knot is a case of the reference set, as far as callus and the first look go.
type knot struct {
	Technique, Healing, Group, Finished string
	Readings                            [][2]any
	Done                                []struct{ Knot, On string }
	Answer                              struct {
		Callused [3]string
		Knots    []struct{ Knot, From, Best, By string }
	}
}

func TestCallusAndFirstLooksMatchTheReference(t *testing.T) {
	raw, err := os.ReadFile("testdata/knots.json")
	require.NoError(t, err)
	var cases []knot
	require.NoError(t, json.Unmarshal(raw, &cases))
	require.NotEmpty(t, cases)
	day := func(s string) time.Time { d, err := time.Parse(time.DateOnly, s); require.NoError(t, err); return d }
	says := func(w aftercare.Window) [3]string {
		return [3]string{w.From.Format(time.DateOnly), w.Best.Format(time.DateOnly), w.By.Format(time.DateOnly)}
	}
	callused, looks := 0, 0
	for i, c := range cases {
		t.Run(fmt.Sprint(i+1), func(t *testing.T) {
			m := aftercare.Made{Technique: c.Technique, Healing: c.Healing, Group: c.Group, Finished: day(c.Finished)}
			for _, r := range c.Readings {
				at, err := time.Parse(time.RFC3339, r[0].(string))
				require.NoError(t, err)
				m.Readings = append(m.Readings, aftercare.Reading{At: at, C: r[1].(float64)})
			}
			for _, d := range c.Done {
				if d.Knot == "callused" {
					return // seen, not reckoned
				}
			}
			callused++
			assert.Equal(t, c.Answer.Callused, says(m.Callus()))
			for _, k := range c.Answer.Knots {
				if k.Knot == "first look" {
					looks++
					assert.Equal(t, [3]string{k.From, k.Best, k.By}, says(m.FirstLook()))
				}
			}
		})
	}
	assert.Greater(t, callused, 30)
	assert.Greater(t, looks, 20)
}

func TestCallusFollowsItsWarmth(t *testing.T) {
	day := time.Date(2027, 2, 20, 0, 0, 0, 0, time.UTC)
	m := aftercare.Made{Technique: "splice", Healing: "cold callus", Group: "pome", Finished: day}
	assert.Equal(t, 21, int(m.Callus().Best.Sub(day).Hours()/24))
	for h := range 40 * 6 {
		m.Readings = append(m.Readings, aftercare.Reading{At: day.Add(time.Duration(4*h) * time.Hour), C: 10})
	}
	warm := m.Callus()
	assert.Less(t, warm.Best.Sub(day).Hours()/24, 16.0, "a warm box comes sooner")
	assert.InDelta(t, 1, m.Callused(warm.Best.Add(12*time.Hour)), 0.08)
	assert.Zero(t, aftercare.Rate("pome", 0))
	assert.Zero(t, aftercare.Rate("nut", 32))
	assert.InDelta(t, 1, aftercare.Rate("nut", 25.5), 1e-9)
}

func ExampleMade_FirstLook() {
	m := aftercare.Made{Technique: "t-bud", Healing: "in the row", Group: "rose", Finished: time.Date(2027, 7, 20, 0, 0, 0, 0, time.UTC)}
	w := m.FirstLook()
	fmt.Println(w.From.Format("2 January"), "to", w.By.Format("2 January"))
	// Output: 1 August to 13 August
}

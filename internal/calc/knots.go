package calc

import (
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/ways"
)

// knotsCase is a group of grafts whose steps are asked for. What is needed is told
// from what is missing.
type knotsCase struct {
	Technique, Wood, Healing, Tie *string
	Cover                         *bool
	Buds                          *float64
	Finished, Group               *string
	Calendar                      map[string]json.RawMessage
	Readings                      []json.RawMessage
	Ways                          map[string]*string
	Done                          []struct {
		Knot, On *string
		N        *float64
	}
}

type knotsAnswer struct {
	Sleeps   bool      `json:"sleeps"`
	Callused [3]string `json:"callused"`
	Growth   string    `json:"growth"`
	Knots    []knot    `json:"knots"`
}

type knot struct {
	Knot string `json:"knot"`
	N    int    `json:"n"`
	From string `json:"from"`
	Best string `json:"best"`
	By   string `json:"by"`
}

var knotsNames = map[string][]string{
	"wood":    {"resting", "half-ripe", "ripe green"},
	"healing": {aftercare.ColdCallus, aftercare.CoolRoom, aftercare.WarmUnion, aftercare.PotAtOnce, aftercare.InTheRow},
	"tie":     {"film", "pvc", "vinyl", "rubber", "fusing", "raffia"},
}

var knotsWays = map[ways.Key][]string{
	ways.TieOff:      {"by tie", "all in late winter"},
	ways.HeadingBack: {"late winter, just above the bud", "leave a snag to autumn", "at season's end"},
	ways.Shoots:      {"two until safe, then one", "best one at once"},
}

// Knots dates what follows, for an array of cases.
func Knots(r io.Reader, w io.Writer) error {
	var raw []json.RawMessage
	if err := one(r, &raw); err != nil {
		return bad("not the JSON of an array of cases: %v", err)
	}
	if raw == nil {
		return bad("null is no array")
	}
	out := []knotsAnswer{}
	for i, x := range raw {
		var c *knotsCase
		if err := json.Unmarshal(x, &c); err != nil {
			return bad("case %d: %v", i+1, err)
		}
		if c == nil {
			return bad("case %d: null is no case", i+1)
		}
		m, err := c.made()
		if err != nil {
			return bad("case %d, %v", i+1, err)
		}
		out = append(out, answerOf(m.Plan()))
	}
	return json.NewEncoder(w).Encode(out)
}

func answerOf(p aftercare.Plan) knotsAnswer {
	a := knotsAnswer{Sleeps: p.Sleeps, Callused: [3]string{p.Callused.From.String(), p.Callused.Best.String(), p.Callused.By.String()},
		Growth: p.Growth.String(), Knots: []knot{}}
	for _, k := range p.Knots {
		a.Knots = append(a.Knots, knot{k.Name.String(), k.N, k.From.String(), k.Best.String(), k.By.String()})
	}
	return a
}

// made reads a case. Its error names the key.
func (c *knotsCase) made() (*aftercare.Made, error) {
	for key, v := range map[string]*string{"technique": c.Technique, "group": c.Group} {
		if v == nil {
			return nil, fmt.Errorf("%s: it is missing", key)
		}
	}
	for _, x := range []struct {
		key string
		v   *string
	}{{"wood", c.Wood}, {"healing", c.Healing}, {"tie", c.Tie}} {
		switch {
		case x.v == nil:
			return nil, fmt.Errorf("%s: it is missing", x.key)
		case !slices.Contains(knotsNames[x.key], *x.v):
			return nil, fmt.Errorf("%s: %q is none of %q", x.key, *x.v, knotsNames[x.key])
		}
	}
	if c.Buds == nil || !whole(*c.Buds, 1, 1e6) {
		return nil, fmt.Errorf("buds: a whole number from 1 is needed")
	}
	if c.Finished == nil {
		return nil, fmt.Errorf("finished: it is missing")
	}
	finished, err := dayOf(*c.Finished)
	if err != nil {
		return nil, fmt.Errorf("finished: %w", err)
	}
	m := &aftercare.Made{Technique: *c.Technique, Wood: *c.Wood, Healing: *c.Healing, Tie: *c.Tie, Cover: c.Cover != nil && *c.Cover,
		Buds: int(*c.Buds), Finished: finished, Group: *c.Group}
	if m.Calendar, err = c.calendar(); err != nil {
		return nil, err
	}
	rs, err := c.readings()
	if err != nil {
		return nil, err
	}
	m.Box = aftercare.NewBox(m.Healing, m.Group, rs)
	h := ways.House{}
	for k, v := range c.Ways {
		options, ok := knotsWays[ways.Key(k)]
		switch {
		case !ok:
			return nil, fmt.Errorf("ways: %q is no question that dates hang on", k)
		case v == nil:
		case !slices.Contains(options, *v):
			return nil, fmt.Errorf("ways, %s: %q is none of %q", k, *v, options)
		default:
			h[ways.Key(k)] = *v
		}
	}
	m.Ways = aftercare.WaysOf(h)
	return m, c.done(m)
}

func dayOf(s string) (aftercare.Day, error) {
	t, err := time.Parse(time.DateOnly, s)
	if err != nil {
		return 0, fmt.Errorf("%q is no date", s)
	}
	return aftercare.DayOf(t), nil
}

func (c *knotsCase) calendar() (aftercare.Calendar, error) {
	out := aftercare.Calendar{}
	for _, a := range []aftercare.Anchor{aftercare.Swell, aftercare.Ripe, aftercare.SlipEnds, aftercare.Frost, aftercare.RestBegin} {
		raw := c.Calendar[string(a)]
		if raw == nil {
			continue
		}
		var days []*string
		if err := json.Unmarshal(raw, &days); err != nil {
			return nil, fmt.Errorf("calendar, %s: not an array of dates", a)
		}
		for i, s := range days {
			if s == nil {
				return nil, fmt.Errorf("calendar, %s: null is no date", a)
			}
			d, err := dayOf(*s)
			if err != nil {
				return nil, fmt.Errorf("calendar, %s: %w", a, err)
			}
			if i > 0 && d <= out[a][i-1] {
				return nil, fmt.Errorf("calendar, %s: %s does not come after %s", a, d, out[a][i-1])
			}
			out[a] = append(out[a], d)
		}
	}
	return out, nil
}

func (c *knotsCase) readings() ([]aftercare.Reading, error) {
	var out []aftercare.Reading
	for i, raw := range c.Readings {
		var pair []json.RawMessage
		if err := json.Unmarshal(raw, &pair); err != nil || len(pair) != 2 {
			return nil, fmt.Errorf("readings, %d: not a pair of a time and °C", i+1)
		}
		var at *time.Time
		var deg *float64
		if err := json.Unmarshal(pair[0], &at); err != nil || at == nil {
			return nil, fmt.Errorf("readings, %d: %s is no time", i+1, pair[0])
		}
		if err := json.Unmarshal(pair[1], &deg); err != nil || deg == nil {
			return nil, fmt.Errorf("readings, %d: %s is no temperature", i+1, pair[1])
		}
		out = append(out, aftercare.Reading{At: *at, C: *deg})
	}
	return out, nil
}

func (c *knotsCase) done(m *aftercare.Made) error {
	for i, d := range c.Done {
		switch {
		case d.Knot == nil:
			return fmt.Errorf("done, %d, knot: it is missing", i+1)
		case d.On == nil:
			return fmt.Errorf("done, %d, on: it is missing", i+1)
		case d.N != nil && !whole(*d.N, 0, 1e6):
			return fmt.Errorf("done, %d, n: a whole number from 0 is needed", i+1)
		}
		name, ok := aftercare.NameOf(*d.Knot)
		if !ok {
			return fmt.Errorf("done, %d, knot: %q is no step", i+1, *d.Knot)
		}
		on, err := dayOf(*d.On)
		if err != nil {
			return fmt.Errorf("done, %d, on: %w", i+1, err)
		}
		n := 0
		if d.N != nil {
			n = int(*d.N)
		}
		m.Done = append(m.Done, aftercare.Done{Knot: name, N: n, On: on})
	}
	return nil
}

package calc

import (
	"encoding/json"
	"io"
	"sort"
	"time"

	"unionknot/internal/core/rehearsal"
)

// rehearseCase is a season to play. What is needed is told from what is missing.
type rehearseCase struct {
	Seasons *float64                           `json:"seasons"`
	Seed    *float64                           `json:"seed"`
	Absent  float64                            `json:"absent"`
	Factors map[string]map[string]rehearseMean `json:"factors"`
	Days    map[string][]string                `json:"days"`
	Windows map[string]struct {
		Mean string  `json:"mean"`
		SD   float64 `json:"sd"`
	} `json:"windows"`
	Later []struct {
		Name string  `json:"name"`
		A    float64 `json:"a"`
		B    float64 `json:"b"`
	} `json:"later"`
	Jobs   []rehearseJob `json:"jobs"`
	Orders []struct {
		ID    string   `json:"id"`
		Trees *float64 `json:"trees"`
	} `json:"orders"`
}

type rehearseMean struct {
	Mean float64 `json:"mean"`
	SD   float64 `json:"sd"`
}

type rehearseJob struct {
	Order  string   `json:"order"`
	Grafts *float64 `json:"grafts"`
	Eta    *float64 `json:"eta"`
	EtaSD  float64  `json:"eta_sd"`
	Worker string   `json:"worker"`
	Lot    string   `json:"lot"`
	Bundle string   `json:"bundle"`
	Day    *float64 `json:"day"`
	Window string   `json:"window"`
}

type rehearseOrder struct {
	Met   float64 `json:"met"`
	Mean  float64 `json:"mean"`
	Low   int     `json:"low"`
	High  int     `json:"high"`
	Short float64 `json:"short"`
	Late  float64 `json:"late"`
}

const (
	mostSeasons = 10_000_000
	mostCount   = 1e6
)

// Rehearse plays a season.
func Rehearse(r io.Reader, w io.Writer) error {
	var c rehearseCase
	if err := one(r, &c); err != nil {
		return bad("not the JSON of a season: %v", err)
	}
	seasons, seed := rehearsal.Usual, uint64(rehearsal.Seed)
	if c.Seasons != nil {
		if !whole(*c.Seasons, 1, mostSeasons) {
			return bad("seasons: a whole number from 1 to %d is needed", mostSeasons)
		}
		seasons = int(*c.Seasons)
	}
	if c.Seed != nil {
		if !whole(*c.Seed, -1<<53, 1<<53) {
			return bad("seed: a whole number is needed")
		}
		seed = uint64(int64(*c.Seed))
	}
	s, ids, err := c.season()
	if err != nil {
		return err
	}
	a, err := rehearsal.Play(s, seasons, seed, rehearsal.Nothing)
	if err != nil {
		return bad("%v", err)
	}
	orders := map[string]rehearseOrder{}
	for i, o := range a.Orders {
		orders[ids[i]] = rehearseOrder{round(o.Met, 6), round(o.Mean, 4), o.Low, o.High, round(o.Short, 4), round(o.Late, 4)}
	}
	return json.NewEncoder(w).Encode(map[string]any{"orders": orders, "all_met": round(a.AllMet, 6)})
}

// dayNumber gives a day's number.
func dayNumber(s string) (int, bool) {
	t, err := time.Parse(time.DateOnly, s)
	return int(t.Unix() / 86_400), err == nil
}

// season reads the case into the core's form, with the names of the orders.
func (c *rehearseCase) season() (s rehearsal.Season, ids []string, err error) {
	order := map[string]int{}
	if c.Orders == nil {
		return s, nil, bad("orders: there are none")
	}
	for i, o := range c.Orders {
		if _, twice := order[o.ID]; o.ID == "" || twice {
			return s, nil, bad("order %d: it needs an id of its own", i+1)
		}
		if o.Trees == nil || !whole(*o.Trees, 0, mostCount) {
			return s, nil, bad("order %s, trees: a whole number from 0 is needed", o.ID)
		}
		order[o.ID] = i
		ids, s.Orders = append(ids, o.ID), append(s.Orders, int(*o.Trees))
	}
	effect := map[[2]string]int{}
	for _, f := range []string{"worker", "lot", "bundle"} {
		if c.Factors[f] == nil {
			return s, nil, bad("factors: there is no %s", f)
		}
		for _, name := range sorted(c.Factors[f]) {
			b := c.Factors[f][name]
			if !(b.SD >= 0) {
				return s, nil, bad("%s %s, sd: a number from 0 is needed", f, name)
			}
			effect[[2]string{f, name}] = len(s.Effects)
			s.Effects = append(s.Effects, rehearsal.Belief{Mean: b.Mean, SD: b.SD})
		}
	}
	if !(c.Absent >= 0 && c.Absent <= 1) {
		return s, nil, bad("absent: a number from 0 to 1 is needed")
	}
	hand := map[string]int{}
	for _, name := range sorted(c.Days) {
		h := rehearsal.Hand{Absent: c.Absent}
		for _, d := range c.Days[name] {
			n, ok := dayNumber(d)
			if !ok || len(h.Days) > 0 && n <= h.Days[len(h.Days)-1] {
				return s, nil, bad("days of %s: %q is no day after the one before", name, d)
			}
			h.Days = append(h.Days, n)
		}
		hand[name] = len(s.Hands)
		s.Hands = append(s.Hands, h)
	}
	window := map[string]int{}
	for _, name := range sorted(c.Windows) {
		x := c.Windows[name]
		n, ok := dayNumber(x.Mean)
		if !ok || !(x.SD >= 0) {
			return s, nil, bad("window %s: a day, and an sd from 0, are needed", name)
		}
		window[name] = len(s.Windows)
		s.Windows = append(s.Windows, rehearsal.Window{Day: n, SD: x.SD})
	}
	for i, l := range c.Later {
		if !(l.A > 0) || !(l.B > 0) {
			return s, nil, bad("later stage %d: a and b above 0 are needed", i+1)
		}
		s.Later = append(s.Later, rehearsal.Stage{A: l.A, B: l.B})
	}
	for i, j := range c.Jobs {
		x := rehearsal.Job{EtaSD: j.EtaSD}
		switch {
		case j.Grafts == nil || !whole(*j.Grafts, 0, mostCount):
			return s, nil, bad("job %d, grafts: a whole number from 0 is needed", i+1)
		case j.Eta == nil || !(j.EtaSD >= 0):
			return s, nil, bad("job %d: eta, and an eta_sd from 0, are needed", i+1)
		case j.Day == nil || !whole(*j.Day, 0, mostCount):
			return s, nil, bad("job %d, day: a whole number from 0 is needed", i+1)
		}
		x.Grafts, x.Eta, x.Day = int(*j.Grafts), *j.Eta, int(*j.Day)
		var ok bool
		if x.Order, ok = order[j.Order]; !ok {
			return s, nil, bad("job %d: there is no order %q", i+1, j.Order)
		}
		if x.Hand, ok = hand[j.Worker]; !ok {
			return s, nil, bad("job %d: worker %q has no days", i+1, j.Worker)
		}
		if x.Window, ok = window[j.Window]; !ok {
			return s, nil, bad("job %d: there is no window %q", i+1, j.Window)
		}
		for _, f := range [][2]string{{"worker", j.Worker}, {"lot", j.Lot}, {"bundle", j.Bundle}} {
			e, ok := effect[f]
			if !ok {
				return s, nil, bad("job %d: there is no %s %q", i+1, f[0], f[1])
			}
			x.Effects = append(x.Effects, e)
		}
		s.Jobs = append(s.Jobs, x)
	}
	return s, ids, nil
}

func sorted[V any](m map[string]V) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	sort.Strings(out)
	return out
}

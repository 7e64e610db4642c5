package pollen_test

import (
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/pollen"
)

func day(y int, m time.Month, d int) time.Time { return time.Date(y, m, d, 0, 0, 0, 0, time.UTC) }

func span(y, from, to int) map[int]pollen.Span {
	start := day(y, time.April, 1)
	return map[int]pollen.Span{y: {First: start.AddDate(0, 0, from), Last: start.AddDate(0, 0, to)}}
}

func pear(name string, from, to int) pollen.Variety {
	return pollen.Variety{Name: name, Genus: "pear", Flowered: span(2026, from, to)}
}

// TestWhoPollinatesWhom goes through each reason.
func TestWhoPollinatesWhom(t *testing.T) {
	yes := true
	a := pear("a", 10, 20)
	with := func(change func(v *pollen.Variety)) pollen.Variety {
		v := pear("b", 12, 25)
		change(&v)
		return v
	}
	at := func(x float64) []pollen.Spot { return []pollen.Spot{{X: x}} }
	a.At = at(0)
	for name, x := range map[string]struct {
		b    pollen.Variety
		want pollen.Why
	}{
		"flowers with it":       {with(func(*pollen.Variety) {}), pollen.Sets},
		"three days only":       {with(func(v *pollen.Variety) { v.Flowered = span(2026, 18, 30) }), pollen.Days},
		"four days":             {with(func(v *pollen.Variety) { v.Flowered = span(2026, 17, 30) }), pollen.Sets},
		"never noted":           {with(func(v *pollen.Variety) { v.Flowered = nil }), pollen.Unknown},
		"three sets":            {with(func(v *pollen.Variety) { v.Ploidy = 3 }), pollen.Sterile},
		"four sets":             {with(func(v *pollen.Variety) { v.Ploidy = 4 }), pollen.Sets},
		"of another genus":      {with(func(v *pollen.Variety) { v.Genus = "apple" }), pollen.Genus},
		"itself":                {a, pollen.Same},
		"another year's dates":  {with(func(v *pollen.Variety) { v.Flowered = span(2025, 12, 25) }), pollen.Sets},
		"across the road":       {with(func(v *pollen.Variety) { v.At = at(40) }), pollen.Sets},
		"beyond the hill":       {with(func(v *pollen.Variety) { v.At = at(400) }), pollen.Far},
		"one of two is near":    {with(func(v *pollen.Variety) { v.At = append(at(400), at(10)...) }), pollen.Sets},
		"no group to speak of":  {with(func(v *pollen.Variety) { v.Group = "S1" }), pollen.Sets},
		"sets alone, is itself": {func() pollen.Variety { v := a; v.Alone = &yes; return v }(), pollen.Same},
	} {
		t.Run(name, func(t *testing.T) { assert.Equal(t, x.want, pollen.On(a, x.b).Why) })
	}
	g := a
	g.Group = "S1"
	assert.Equal(t, pollen.Group, pollen.On(g, with(func(v *pollen.Variety) { v.Group = "S1" })).Why)
	self := a
	self.Alone = &yes
	assert.True(t, pollen.On(self, self).Good())
	assert.False(t, pollen.Needs(self))
	assert.False(t, pollen.Needs(pollen.Variety{Genus: "quince"}))
}

// TestDaysTogetherAreThoseThatBothFlower holds the overlap against a count of days.
func TestDaysTogetherAreThoseThatBothFlower(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 18))
	for range 300 {
		a, b := pear("a", 0, 0), pear("b", 0, 0)
		a.Flowered, b.Flowered = map[int]pollen.Span{}, map[int]pollen.Span{}
		sum, least, years := 0, 1000, 1+r.IntN(4)
		for y := 2020; y < 2020+years; y++ {
			spanOf := func() pollen.Span {
				from := day(y, time.April, 1).AddDate(0, 0, r.IntN(30))
				return pollen.Span{First: from, Last: from.AddDate(0, 0, r.IntN(20))}
			}
			s, u := spanOf(), spanOf()
			a.Flowered[y], b.Flowered[y] = s, u
			n := 0
			for d := day(y, time.March, 1); d.Before(day(y, time.July, 1)); d = d.AddDate(0, 0, 1) {
				if !d.Before(s.First) && !d.After(s.Last) && !d.Before(u.First) && !d.After(u.Last) {
					n++
				}
			}
			sum, least = sum+n, min(least, n)
		}
		m := pollen.On(a, b)
		require.InDelta(t, float64(sum)/float64(years), m.Mean, 1e-9)
		require.Equal(t, least, m.Least)
		require.Equal(t, years, m.Years)
		require.Equal(t, m.Mean, pollen.On(b, a).Mean, "as long the other way")
	}
}

// TestAGapIsClosedByWhoFlowersLongestWithIt finds what a set of three lacks.
func TestAGapIsClosedByWhoFlowersLongestWithIt(t *testing.T) {
	early, mid, late := pear("early", 0, 8), pear("mid", 4, 14), pear("late", 24, 34)
	house := []pollen.Variety{early, mid, late, pear("short", 20, 28), pear("long", 18, 33),
		{Name: "crab", Genus: "apple", Flowered: span(2026, 24, 34)}}
	gs := pollen.Lacks([]pollen.Variety{early, mid, late}, house)
	require.Len(t, gs, 1, "early and mid pollinate each other")
	assert.Equal(t, "late", gs[0].Of.Name)
	assert.Equal(t, pollen.Days, gs[0].Why)
	assert.Zero(t, gs[0].Days)
	require.Len(t, gs[0].Closes, 2)
	assert.Equal(t, "long", gs[0].Closes[0].Name)
	assert.Equal(t, "short", gs[0].Closes[1].Name)
	poor := pear("poor", 24, 34)
	poor.Ploidy = 3
	sterile := pollen.Lacks([]pollen.Variety{late, early, poor}, nil)
	require.Len(t, sterile, 2, "poor is pollinated, and pollinates nobody")
	assert.Equal(t, "poor", sterile[0].Beside, "what flowers longest with it is named")
	assert.Equal(t, pollen.Sterile, sterile[0].Why)
	alone := pollen.Lacks([]pollen.Variety{early}, nil)
	require.Len(t, alone, 1)
	assert.Equal(t, pollen.Same, alone[0].Why)
	assert.Empty(t, alone[0].Closes)
	assert.Empty(t, pollen.Lacks([]pollen.Variety{{Name: "q", Genus: "quince"}}, nil), "it sets alone")
}

package nursery_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/nursery/growon"
	"unionknot/internal/nursery/heal"
	"unionknot/internal/nursery/results"
	"unionknot/internal/store"
)

// TestALaterCountStartsFromWhatStood counts a tag three times, with trees lost and sold between: each count is of
// what stood, every cause is kept, and every sum closes on the tag, the order and in Results.
func TestALaterCountStartsFromWhatStood(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 20, 25)
	tag := h.finished(25, h.ansel)[0]
	require.Equal(t, 25, tag.Planned)
	count := func(look string, taken, doubtful, dead int, causes map[string]int) {
		t.Helper()
		require.NoError(t, h.KeepCount(ctx, h.maud, tag.Code,
			heal.NewCount{ID: h.uuid(), Look: look, Taken: taken, Doubtful: doubtful, Dead: dead, Causes: causes}))
	}
	stands := func() store.GrowTag { return h.growing(tag.Code) }
	count("first look", 20, 2, 3, map[string]int{"dried out": 2, "cambium missed": 1})
	p, err := h.Count(ctx, tag.Code, "take look")
	require.NoError(t, err)
	assert.Equal(t, 22, p.Stood, "the second count is of what stood after the first")
	count("take look", 20, 0, 2, map[string]int{"dried out": 1, "water got in": 0})
	assert.Equal(t, 20, stands().Standing)
	lost := h.act(growon.Lost, "", 1, tag.Code)
	lost.Cause = "animals"
	h.kept(lost)
	p, err = h.Count(ctx, tag.Code, "end of season")
	require.NoError(t, err)
	assert.Equal(t, 19, p.Stood)
	count("end of season", 17, 0, 2, map[string]int{"tie girdled": 2})

	g := stands()
	assert.Equal(t, 17, g.Standing)
	assert.Equal(t, 8, g.LostEver)
	by := map[string]int{}
	for _, c := range g.Causes {
		by[c.Cause] = c.N
	}
	assert.Equal(t, map[string]int{"dried out": 3, "cambium missed": 1, "animals": 1, "tie girdled": 2}, by, "no cause is overwritten")
	b := h.lineOfOrder("O-1").Balance
	assert.Equal(t, []int{17, 0, 8, 0}, []int{b.Alive, b.Doubtful, b.Dead, b.Healing})
	r, err := h.Results(ctx, h.maud, results.ResultsFilter{})
	require.NoError(t, err)
	f := r.Pictures.Flow
	require.Len(t, f.Steps, 3)
	assert.Equal(t, []int{3, 4, 1}, []int{f.Steps[0].Lost, f.Steps[1].Lost, f.Steps[2].Lost})
	assert.Equal(t, 17, f.Stands)
	for _, s := range f.Steps {
		named := 0
		for _, c := range s.Causes {
			named += c.N
		}
		assert.LessOrEqual(t, named, s.Lost, "causes never add up to more than was lost")
	}
}

// TestACountThatDoesNotAddUpAsks leaves grafts out of the three numbers, types more than stood, and finds dead
// ones alive: each is asked about before it is kept.
func TestACountThatDoesNotAddUpAsks(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 20, 25)
	tag := h.finished(25, h.ansel)[0]
	n := heal.NewCount{ID: h.uuid(), Look: "first look", Taken: 20, Dead: 2}
	isProblem(t, h.KeepCount(ctx, h.maud, tag.Code, n), "3 are missing")
	n.Rest = "lost"
	isProblem(t, h.KeepCount(ctx, h.maud, tag.Code, n), "Choose whether")
	n.Rest = heal.RestLeft
	require.NoError(t, h.KeepCount(ctx, h.maud, tag.Code, n))
	b := h.lineOfOrder("O-1").Balance
	assert.Equal(t, []int{20, 3, 2}, []int{b.Alive, b.Healing, b.Dead}, "what nobody counted still stands")
	second := heal.NewCount{ID: h.uuid(), Look: "take look", Taken: 19, Dead: 6}
	isProblem(t, h.KeepCount(ctx, h.maud, tag.Code, second), "only 23 stood after the last count")
	second.Taken, second.Dead = 24, 0
	isProblem(t, h.KeepCount(ctx, h.maud, tag.Code, second), "confirm that 1 counted dead")
	second.Taken = 26
	second.Sure = true
	isProblem(t, h.KeepCount(ctx, h.maud, tag.Code, second), "only 2 were counted dead before")
	second.Taken = 24
	require.NoError(t, h.KeepCount(ctx, h.maud, tag.Code, second))
	g := h.growing(tag.Code)
	assert.Equal(t, []int{24, 1}, []int{g.Standing, g.LostEver}, "one that was counted dead is alive after all")

	third := heal.NewCount{ID: h.uuid(), Look: "end of season", Taken: 20, Rest: heal.RestDead, Causes: map[string]int{"animals": 1}}
	require.NoError(t, h.KeepCount(ctx, h.maud, tag.Code, third))
	g = h.growing(tag.Code)
	assert.Equal(t, []int{20, 5}, []int{g.Standing, g.LostEver})

	// The first count is corrected: later ones are laid on what stands by it, or are to be corrected first.
	p, err := h.Count(ctx, tag.Code, "first look")
	require.NoError(t, err)
	fix := heal.NewCount{ID: h.uuid(), Look: "first look", Taken: 15, Dead: 10, Replaces: p.Now.ID}
	isProblem(t, h.KeepCount(ctx, h.maud, tag.Code, fix), "Correct the later count first")
	fix.Taken, fix.Dead = 24, 1
	day := p.Now.CountedOn
	h.RunFrom(h.Now().AddDate(0, 0, 9))
	require.NoError(t, h.KeepCount(ctx, h.maud, tag.Code, fix))
	p, err = h.Count(ctx, tag.Code, "first look")
	require.NoError(t, err)
	assert.True(t, day.Equal(p.Now.CountedOn), "a corrected count is still of its day")
	p, err = h.Count(ctx, tag.Code, "take look")
	require.NoError(t, err)
	assert.Equal(t, []int{24, 24, 0}, []int{p.Stood, p.Now.Stood, p.Now.Found})
	g = h.growing(tag.Code)
	assert.Equal(t, []int{20, 5}, []int{g.Standing, g.LostEver})
}

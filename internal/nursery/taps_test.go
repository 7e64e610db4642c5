package nursery_test

import (
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/tally"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/bench"
	"unionknot/internal/nursery/heal"
	"unionknot/internal/nursery/stages"
	"unionknot/internal/store"
	"unionknot/internal/testhouse"
	"unionknot/internal/words"
)

// tablet makes taps as a device does that is out of reach.
type tablet struct {
	h    *house
	name string
	code string
	no   int64
	ago  time.Duration // of the last tap
}

func (d *tablet) tap(kind string, n int, undoes ...string) bench.Tap {
	d.no++
	d.ago -= 10 * time.Second
	t := bench.Tap{ID: d.h.uuid(), Code: d.code, Kind: kind, N: n, No: d.no, AgoMS: d.ago.Milliseconds()}
	if len(undoes) > 0 {
		t.Undoes = undoes[0]
	}
	return t
}

// TestShuffledTapsEndAtTheTrueCount sends a shift's taps in any order, twice, in
// chunks, from two tablets: the count and the ledgers are those of the bench.
func TestShuffledTapsEndAtTheTrueCount(t *testing.T) {
	h := newHouse(t)
	h.stocked(400, 80, 60)
	r := rand.New(rand.NewPCG(27, 1))
	for round, code := range h.codesOf(h.batch("O-1", 100), h.ansel) {
		tag, err := h.DB.Q().TagByCode(ctx, code)
		require.NoError(t, err)
		one := &tablet{h: h, name: "one", code: code, ago: 5 * time.Hour}
		two := &tablet{h: h, name: "two", code: code, ago: 2 * time.Hour} // taken over in the afternoon
		first := []bench.Tap{one.tap("tied", 5), one.tap("tied", 1), one.tap("spoiled wood", 1), one.tap("tied", 1)}
		first = append(first, one.tap("undo", 1, first[3].ID), one.tap("wiped", 1), one.tap("tied", 2))
		second := []bench.Tap{two.tap("tied", 3), two.tap("spoiled stock", 1)}
		second = append(second, two.tap("undo", 1, second[1].ID), two.tap("finish", 1))
		type chunk struct {
			device string
			taps   []bench.Tap
		}
		var chunks []chunk
		for _, d := range []chunk{{"one", first}, {"two", second}} {
			for taps := range slices.Chunk(d.taps, 1+r.IntN(4)) {
				chunks = append(chunks, chunk{d.device, taps}, chunk{d.device, taps}) // each is sent twice
			}
		}
		r.Shuffle(len(chunks), func(i, j int) { chunks[i], chunks[j] = chunks[j], chunks[i] })
		var last bench.Counts
		for _, c := range chunks {
			taps := slices.Clone(c.taps)
			r.Shuffle(len(taps), func(i, j int) { taps[i], taps[j] = taps[j], taps[i] })
			done, err := h.TapAll(ctx, h.ansel, c.device, taps)
			require.NoError(t, err)
			require.Len(t, done.Safe, len(taps))
			last = done.Counts[code]
		}
		assert.Equal(t, 11, last.Tied, "round %d", round)
		assert.True(t, last.Finished)
		assert.Zero(t, last.Held, "all of them count in the end")
		var stems, pieces int
		require.NoError(t, h.db.Get(&stems, `select coalesce(sum(n), 0) from stock_ledger where tag_id = $1 and to_account = 'grafted'`,
			tag.ID))
		assert.GreaterOrEqual(t, stems, 11)
		require.NoError(t, h.db.Get(&pieces, `select coalesce(sum(case when to_account = 'spoiled' then n else -n end), 0) from wood_ledger
			where tag_id = $1 and 'spoiled' in (to_account, from_account)`, tag.ID))
		assert.Equal(t, 1, pieces)
	}
}

// codesOf shares a batch out and gives the tags' codes.
func (h *house) codesOf(batch string, to ...nursery.Actor) (codes []string) {
	for _, x := range h.tagsOf(batch, to...) {
		codes = append(codes, x.Code)
	}
	return codes
}

// TestAFinishThatCameFirst gives the rest back, which others take: what was tied before
// it waits for stems, and for the propagator.
func TestAFinishThatCameFirst(t *testing.T) {
	h := newHouse(t)
	h.stocked(24, 12, 60)
	code := h.codesOf(h.batch("O-1", 24), h.ansel)[0]
	d := &tablet{h: h, code: code, ago: time.Hour}
	tied, finish := d.tap("tied", 5), d.tap("finish", 1)
	_, err := h.TapAll(ctx, h.ansel, "one", []bench.Tap{finish})
	require.NoError(t, err)
	assert.Equal(t, map[string]int{"free": 24}, h.stems("L-1"))
	_, err = h.SettleAway("L-1", 22)
	require.NoError(t, err)
	done, err := h.TapAll(ctx, h.ansel, "one", []bench.Tap{tied})
	require.NoError(t, err)
	require.Len(t, done.Held, 1)
	assert.Equal(t, words.Refused(tally.MoreThanLaid), done.Held[0].Why, "the stems are gone meanwhile")
	isProblem(t, h.Settle(ctx, h.maud, bench.Settling{Code: code, Worker: h.ansel.ID, Do: tally.Count}), "Recount its lot")
	_, err = h.Recount(ctx, h.maud, "L-1", 7)
	require.NoError(t, err)
	require.NoError(t, h.Settle(ctx, h.maud, bench.Settling{Code: code, Worker: h.ansel.ID, Do: tally.Count}))
	assert.Equal(t, 5, h.stems("L-1")["grafted"])
	c, err := h.Card(ctx, h.ansel, code)
	require.NoError(t, err)
	assert.Equal(t, 5, c.Counts.Tied)
	assert.Empty(t, c.Held)
}

// SettleAway takes free stems out of a lot, as if others had used them.
func (h *house) SettleAway(lot string, n int) (int, error) {
	l, err := h.DB.Q().LotByCode(ctx, lot)
	if err != nil {
		return 0, err
	}
	return h.Recount(ctx, h.maud, lot, l.Free-n)
}

// TestTapsForATagThatChangedHandsWait keeps what a worker made on a tag that was
// handed over, dropped or taken back meanwhile, for the propagator to count or leave.
func TestTapsForATagThatChangedHandsWait(t *testing.T) {
	for _, c := range []struct {
		name   string
		change func(h *house, batch, code string)
		why    tally.Refusal
		on     bool // another tag of the batch is there to count on
	}{
		{"handed over", func(h *house, _, code string) {
			require.NoError(h, h.HandOver(ctx, h.maud, code, h.odile.ID, 0))
		}, tally.NotTheirs, false},
		{"shared out anew", func(h *house, batch, _ string) {
			require.NoError(h, h.MakeTags(ctx, h.maud, batch, h.Today(), []int64{h.odile.ID}))
		}, tally.NotTheirs, false},
		{"shared out in other sizes", func(h *house, batch, _ string) {
			_, err := h.db.Exec(`update house set tag_size = 7`)
			require.NoError(h, err)
			require.NoError(h, h.MakeTags(ctx, h.maud, batch, h.Today(), []int64{h.odile.ID}))
		}, tally.TagDropped, true},
		{"taken back", func(h *house, batch, _ string) {
			require.NoError(h, h.UndoBatch(ctx, h.maud, batch))
		}, tally.TagDropped, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			h := newHouse(t)
			h.stocked(100, 30, 60)
			batch := h.batch("O-1", 24)
			code := h.codesOf(batch, h.ansel)[0]
			d := &tablet{h: h, code: code, ago: time.Hour}
			taps := []bench.Tap{d.tap("tied", 3), d.tap("tied", 1)}
			taps = append(taps, d.tap("undo", 1, taps[1].ID))
			c.change(h, batch, code)
			done, err := h.TapAll(ctx, h.ansel, "one", taps)
			require.NoError(t, err)
			assert.Len(t, done.Safe, 3, "kept")
			require.Len(t, done.Held, 3)
			assert.Equal(t, words.Refused(c.why), done.Held[0].Why)
			gs, err := h.Strays(ctx, h.maud)
			require.NoError(t, err)
			require.Len(t, gs, 1)
			assert.Equal(t, "Ansel", gs[0].Worker, "with who made them")
			p, err := h.TodayPage(ctx, h.maud)
			require.NoError(t, err)
			assert.Positive(t, p.Strays)
			n := bench.Settling{Code: code, Worker: h.ansel.ID, Do: tally.Count}
			if c.why == tally.TagDropped {
				isProblem(t, h.Settle(ctx, h.maud, n), "cannot count")
				if c.on {
					require.NotEmpty(t, gs[0].Candidates)
					n.On = gs[0].Candidates[0].Code
				}
			}
			if c.why != tally.TagDropped || c.on {
				require.NoError(t, h.Settle(ctx, h.maud, n))
				on := code
				if c.on {
					on = n.On
				}
				tag, err := h.DB.Q().TagByCode(ctx, on)
				require.NoError(t, err)
				assert.Equal(t, 3, tag.Tied)
				require.NoError(t, h.Settle(ctx, h.maud, bench.Settling{Code: code, Worker: h.ansel.ID}), "decided again")
				tag, err = h.DB.Q().TagByCode(ctx, on)
				require.NoError(t, err)
				assert.Zero(t, tag.Tied)
			}
			require.NoError(t, h.Settle(ctx, h.maud, bench.Settling{Code: code, Worker: h.ansel.ID, Do: tally.Leave}))
			p, err = h.TodayPage(ctx, h.maud)
			require.NoError(t, err)
			assert.Zero(t, p.Strays)
		})
	}
}

// TestAHeldTapDoesNotStickABatch: its tags can be shared out anew, and it taken back.
func TestAHeldTapDoesNotStickABatch(t *testing.T) {
	h := newHouse(t)
	h.stocked(100, 30, 60)
	batch := h.batch("O-1", 24)
	code := h.codesOf(batch, h.ansel)[0]
	done := h.tap(h.odile, code, "tied", 1)
	require.Len(t, done.Held, 1)
	require.NoError(t, h.MakeTags(ctx, h.maud, batch, h.Today(), []int64{h.ansel.ID, h.odile.ID}))
	require.NoError(t, h.UndoBatch(ctx, h.maud, batch))
	done = h.tap(h.odile, code, "tied", 1)
	assert.Len(t, done.Held, 1, "and more of them are kept")
}

func TestTapsThatComeInAfterTheCountAskThePropagator(t *testing.T) {
	h := newHouse(t)
	h.stocked(100, 30, 60)
	code := h.codesOf(h.batch("O-1", 24), h.ansel)[0]
	d := &tablet{h: h, code: code, ago: time.Hour}
	early, late, finish := d.tap("tied", 10), d.tap("tied", 2), d.tap("finish", 1)
	_, err := h.TapAll(ctx, h.ansel, "one", []bench.Tap{early, finish})
	require.NoError(t, err)
	require.NoError(t, h.KeepCount(ctx, h.maud, code, heal.NewCount{ID: h.uuid(), Look: "first look", Taken: 9, Dead: 1}))
	h.StandAt(h.Now().Add(time.Minute))
	done, err := h.TapAll(ctx, h.ansel, "one", []bench.Tap{late})
	require.NoError(t, err)
	require.Len(t, done.Held, 1)
	assert.Equal(t, words.Refused(tally.CountedTakes), done.Held[0].Why)
	require.NoError(t, h.Settle(ctx, h.maud, bench.Settling{Code: code, Worker: h.ansel.ID, Do: tally.Count}))
	tag, err := h.DB.Q().TagByCode(ctx, code)
	require.NoError(t, err)
	assert.Equal(t, 12, tag.Tied)
}

func TestABadTapHoldsUpNoneOfTheOthers(t *testing.T) {
	h := newHouse(t)
	h.stocked(100, 30, 60)
	code := h.codesOf(h.batch("O-1", 24), h.ansel)[0]
	good := bench.Tap{ID: h.uuid(), Code: code, Kind: "tied", N: 4}
	done, err := h.TapAll(ctx, h.ansel, "one", []bench.Tap{{ID: "x", Code: code, Kind: "tied", N: 1}, {ID: h.uuid(), Code: "Q1-QQQQ",
		Kind: "tied", N: 1}, good, {ID: h.uuid(), Code: code, Kind: "sneezed", N: 1}})
	require.NoError(t, err)
	assert.Equal(t, []string{good.ID}, done.Safe)
	require.Len(t, done.Bad, 3)
	assert.Equal(t, 4, done.Counts[code].Tied)
	_, err = h.TapAll(ctx, h.eye, "one", nil)
	assert.ErrorIs(t, err, nursery.ErrNotAllowed)
}

// TestTwoTabletsByTurns taps on one tag from two tablets as people do, one tap a sending:
// told by the sums where they can be, weighed whole where the tablet changes. The tag
// stands as when all of them are weighed at once.
func TestTwoTabletsByTurns(t *testing.T) {
	h := newHouse(t)
	h.stocked(200, 60, 60)
	code := h.codesOf(h.batch("O-1", 25), h.ansel)[0]
	r := rand.New(rand.NewPCG(8, 8))
	now := h.Now()
	no := map[string]int64{}
	want := 0
	for i := range 60 {
		device := []string{"one", "two"}[r.IntN(2)]
		no[device]++
		h.StandAt(now.Add(time.Duration(i) * 10 * time.Second))
		tap := bench.Tap{ID: h.uuid(), Code: code, Kind: "tied", N: 1, No: no[device]}
		if r.IntN(4) == 0 {
			tap.AgoMS = 25_000 // the line was down for a moment, and the other went on
		}
		done, err := h.TapAll(ctx, h.ansel, device, []bench.Tap{tap})
		require.NoError(t, err)
		want = min(want+1, 25)
		assert.Equal(t, want, done.Counts[code].Tied)
	}
	before, err := h.DB.Q().TagByCode(ctx, code)
	require.NoError(t, err)
	_, err = h.db.Exec(`update any_tag set tangled = true where code = $1`, code)
	require.NoError(t, err)
	require.NoError(t, h.DB.Tx(ctx, func(q store.Q) error { return h.WeighAgain(ctx, q, h.maud, []string{code}) }))
	after, err := h.DB.Q().TagByCode(ctx, code)
	require.NoError(t, err)
	assert.Equal(t, before, after)
}

// TestTwoServersTapOneTag taps one tag on two servers by turns, hands it over between them
// and sends taps again: a server's memory of a tag is never more than a guess that the
// database puts right.
func TestTwoServersTapOneTag(t *testing.T) {
	h := newHouse(t)
	h.stocked(200, 60, 60)
	code := h.codesOf(h.batch("O-1", 25), h.ansel)[0]
	other, err := stages.New(ctx, h.db, testhouse.Quiet)
	require.NoError(t, err)
	t.Cleanup(other.Works.Close)
	r := rand.New(rand.NewPCG(5, 11))
	now, tied := h.Now(), 0
	var sent []bench.Tap
	for i := range 24 {
		at := []*stages.Set{h.Set, other}[r.IntN(2)]
		at.StandAt(now.Add(time.Duration(i) * 10 * time.Second))
		tap := bench.Tap{ID: h.uuid(), Kind: "tied", N: 1}
		again := len(sent) > 0 && r.IntN(4) == 0
		if again {
			tap = sent[r.IntN(len(sent))] // the answer was lost
		} else {
			tied++
			sent = append(sent, tap)
		}
		done, err := at.Tap(ctx, h.ansel, code, []bench.Tap{tap})
		require.NoError(t, err)
		assert.Equal(t, []string{tap.ID}, done.Safe)
		assert.Equal(t, tied, done.Counts.Tied, "tap %d", i)
		tag, err := h.DB.Q().TagByCode(ctx, code)
		require.NoError(t, err)
		assert.Equal(t, tied, tag.Tied)
	}
	// Both servers have the tag as Ansel's in mind.
	_, err = h.db.Exec(`update any_tag set worker_id = $2 where code = $1`, code, h.maud.ID)
	require.NoError(t, err)
	for _, at := range []*stages.Set{h.Set, other} {
		done, err := at.Tap(ctx, h.ansel, code, []bench.Tap{{ID: h.uuid(), Kind: "tied", N: 1}})
		require.NoError(t, err)
		assert.Equal(t, tied, done.Counts.Tied, "a tap on a tag that is another's is kept and does not count")
	}
}

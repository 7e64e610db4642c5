package nursery_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/nursery"
	"unionknot/internal/nursery/bench"
	"unionknot/internal/nursery/files"
	"unionknot/internal/nursery/heal"
	"unionknot/internal/nursery/match"
	"unionknot/internal/nursery/results"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
)

// finished makes a batch of n grafts and ties them all.
func (h *house) finished(n int, hands ...nursery.Actor) []store.Tag {
	h.Helper()
	tags := h.tagsOf(h.batch("O-1", n), hands...)
	for _, t := range tags {
		h.tap(h.maud, t.Code, "tied", t.Planned)
		h.tap(h.maud, t.Code, "finish", 1)
	}
	return tags
}

func TestNeverMoreAreCountedThanWereTied(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 20, 20)
	tag := h.finished(20, h.ansel)[0]
	count := func(taken, doubtful, dead int, causes map[string]int, replaces string) (string, error) {
		id := h.uuid()
		return id, h.KeepCount(
			ctx,
			h.ansel,
			tag.Code,
			heal.NewCount{ID: id, Look: "first look", Taken: taken, Doubtful: doubtful, Dead: dead, Causes: causes, Replaces: replaces},
		)
	}
	_, err := count(18, 2, 1, nil, "")
	isProblem(t, err, "only 20 were tied")
	_, err = count(18, 0, 1, map[string]int{"dried out": 2}, "")
	isProblem(t, err, "add up to 2, but 1")
	_, err = count(0, 0, 0, nil, "")
	isProblem(t, err, "at least one")
	first, err := count(15, 2, 3, map[string]int{"dried out": 1, "cambium missed": 2}, "")
	require.NoError(t, err)
	require.NoError(
		t,
		h.KeepCount(ctx, h.ansel, tag.Code, heal.NewCount{ID: first, Look: "first look", Taken: 15, Doubtful: 2, Dead: 3}),
		"sent twice it counts once",
	)
	_, err = count(16, 1, 3, nil, "")
	isProblem(t, err, "Somebody counted this tag")
	second, err := count(16, 1, 3, nil, first)
	require.NoError(t, err)
	_, err = count(17, 0, 3, nil, first)
	isProblem(t, err, "Somebody counted this tag")
	p, err := h.Count(ctx, tag.Code, "")
	require.NoError(t, err)
	require.Len(t, p.Earlier, 2, "the earlier count is kept")
	assert.True(t, p.Earlier[0].Replaced)
	assert.Equal(t, second, p.Now.ID)
	r, err := h.Results(ctx, h.maud, results.ResultsFilter{})
	require.NoError(t, err)
	assert.Equal(t, 16, r.All.Taken, "the count that stands")
	assert.Equal(t, 20, r.All.Counted)
	_, err = h.Tap(ctx, h.ansel, tag.Code, []bench.Tap{{ID: h.uuid(), Kind: "tied", N: 1}})
	require.NoError(t, err)
}

func TestResultsAreRaw90AndUncertainWhenSmall(t *testing.T) {
	h := newHouse(t)
	h.stocked(200, 60, 100)
	tags := h.finished(104, h.ansel, h.odile)
	for i, tag := range tags {
		n := heal.NewCount{ID: h.uuid(), Look: "first look", Taken: tag.Planned}
		if i == 0 {
			n.Taken, n.Dead, n.Causes = tag.Planned-4, 4, map[string]int{"stock died": 4}
		}
		require.NoError(t, h.KeepCount(ctx, h.maud, tag.Code, n))
	}
	r, err := h.Results(ctx, h.maud, results.ResultsFilter{})
	require.NoError(t, err)
	assert.Equal(t, 100, r.All.Taken)
	for _, g := range results.Groups {
		if g == "part" || g == "tier" {
			continue // of no bundle, and of no tag here
		}
		require.NotEmpty(t, r.Groups[g], g)
		for _, l := range r.Groups[g] {
			assert.True(t, l.Take.Low < l.Take.Mean && l.Take.Mean < l.Take.High)
			assert.NotEmpty(t, l.Working.Inputs)
			ts, err := h.GroupTags(ctx, h.maud, g, l.Key, results.ResultsFilter{})
			require.NoError(t, err)
			assert.Len(t, ts, l.Tags, "the working lists the tags behind the figure")
		}
	}
	assert.Equal(t, "stock died", r.Causes[0].Cause)
	own, err := h.Results(ctx, h.ansel, results.ResultsFilter{})
	require.NoError(t, err)
	assert.True(t, own.OwnOnly)
	require.Len(t, own.Groups["worker"], 1)
	assert.Equal(t, "Ansel", own.Groups["worker"][0].Name)
	none, err := h.Results(ctx, h.maud, results.ResultsFilter{Genus: "rose"})
	require.NoError(t, err)
	assert.Zero(t, none.All.Counted)
	after, err := h.Order(ctx, "O-1", outlook.WhatIf{Chance: 0.9})
	require.NoError(t, err)
	assert.Equal(t, 104, after.Line.Need.By.Of, "own records weigh in the next need")
}

func TestTraceGoesBothWays(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 20, 20)
	tag := h.finished(20, h.ansel)[0]
	back, err := h.Trace(ctx, "tag", tag.Code)
	require.NoError(t, err)
	assert.Equal(t, "M-1", back.Plant.Code)
	assert.Equal(t, "L-1", back.Lot.Code)
	for kind, code := range map[string]string{"bundle": "W-1", "plant": "M-1", "lot": "L-1"} {
		fwd, err := h.Trace(ctx, kind, code)
		require.NoError(t, err)
		require.Len(t, fwd.Tags, 1, kind)
		assert.Equal(t, tag.Code, fwd.Tags[0].Code)
	}
	_, err = h.Trace(ctx, "tag", "A2-AAAA")
	assert.ErrorIs(t, err, nursery.ErrNotFound)
	found, err := h.Find(ctx, strings.ToLower(tag.Code))
	require.NoError(t, err)
	require.NotEmpty(t, found)
	assert.Equal(t, tag.Code, found[0].Code)
	found, err = h.Find(ctx, "%_")
	require.NoError(t, err)
	assert.Empty(t, found, "signs of the search itself find nothing")
}

func (h *house) load(kind, body string) files.LoadPage {
	h.Helper()
	id, err := h.ReadFile(ctx, h.maud, kind, kind+".csv", []byte(body))
	require.NoError(h, err)
	p, err := h.Preview(ctx, h.maud, id)
	require.NoError(h, err)
	return p
}

func TestTheExampleFilesLoadOnceAndOnlyWhenTold(t *testing.T) {
	h := newHouse(t)
	for _, kind := range []string{"lots", "readings", "plants", "bundles", "orders"} {
		raw, err := os.ReadFile("../../docs/examples/" + kind + ".csv")
		require.NoError(t, err)
		p := h.load(kind, string(raw))
		require.Empty(t, p.Whole)
		require.Empty(t, p.Bad, kind)
		assert.Equal(t, p.Rows, p.New, kind)
		again := h.load(kind, string(raw))
		assert.Equal(t, p.Rows, again.New, "a preview loads nothing")
		require.NoError(t, h.LoadNow(ctx, h.maud, p.Load.ID))
		require.NoError(t, h.LoadNow(ctx, h.maud, p.Load.ID), "told twice it loads once")
		after := h.load(kind, string(raw))
		assert.Equal(t, after.Rows, after.Same, "the same file changes nothing: %s %+v", kind, after.Bad)
		assert.Zero(t, after.New)
		require.NoError(t, h.LoadNow(ctx, h.maud, again.Load.ID))
		done, err := h.Preview(ctx, h.maud, again.Load.ID)
		require.NoError(t, err)
		assert.Zero(t, done.Load.Added)
	}
	l, err := h.Lot(ctx, "EX-L1", 8)
	require.NoError(t, err)
	assert.Len(t, l.Readings, 62)
	m, err := h.Match(ctx, "EX-O1", match.Asked{})
	require.NoError(t, err)
	assert.Positive(t, m.Weave.Paired)
}

func TestBadRowsAreNamedByLineAndColumn(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 20, 20)
	p := h.load(
		"lots",
		"\xef\xbb\xbfcode;Genus;stock;received on;form;stems;grade low mm;grade high mm\nL-1;quince;Tarn "+
			"Q3;2027-01-12;bare-root;61;8;10\nL-2;quince;Tarn Q3;12/01/2027;bare-root;50;7,5;9,5\nL-3;quince;Tarn "+
			"Q3;2027-01-12;bare-root;many;;\nL-4;pear;Wether;14.1.2027;potted;20;7,5;9,5\nL-4;pear;Wether;14.1.2027;potted;20;;\n",
	)
	require.Empty(t, p.Whole)
	says := ""
	for _, b := range p.Bad {
		says += fmt.Sprintf("%d %s %s\n", b.Line, b.Column, b.Says)
	}
	assert.Contains(t, says, "2 stems It is 60 here and 61 in the file")
	assert.Contains(t, says, "3 received_on")
	assert.Contains(t, says, "4 stems \"many\" is not a whole number")
	assert.Contains(t, says, "6 code L-4 stands on line 5 too")
	assert.Equal(t, 1, p.New, "%s", says)
	require.NoError(t, h.LoadNow(ctx, h.maud, p.Load.ID))
	l, err := h.Lot(ctx, "L-4", 0)
	require.NoError(t, err)
	assert.Equal(t, 7.5, *l.Lot.GradeLow, "a decimal comma")

	p = h.load(
		"readings",
		"lot,taken_on,mm,no\nL-1,2027-02-01,8.2,1\nL-1,2027-02-01,8.3,2\nL-404,2027-02-01,8,1\nL-1,2027-02-01,700,3\nL-1,2031-02-01,8,3\n",
	)
	assert.Equal(t, 2, p.New)
	assert.Equal(t, 3, p.BadN)
	require.NoError(t, h.LoadNow(ctx, h.maud, p.Load.ID))
	p = h.load("readings", "lot,taken_on,mm,no\nL-1,2027-02-01,9.9,1\n")
	require.Len(t, p.Bad, 1)
	assert.Contains(t, p.Bad[0].Says, "is 8.2 mm already")
	for body, why := range map[string]string{"code,genus\nL,pear": "lacks stock", "PK\x03\x04xx": "no spreadsheet that can be read",
		"code;\xff\xfe": "UTF-8", "": "empty", "code,code\n": "two columns"} {
		if body == "" {
			_, err := h.ReadFile(ctx, h.maud, "lots", "x.csv", nil)
			isProblem(t, err, why)
			continue
		}
		assert.Contains(t, h.load("lots", body).Whole, why)
	}
}

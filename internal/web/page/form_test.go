package page_test

import (
	"errors"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/nursery"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

func posted(t *testing.T, v url.Values) (*page.Typed, error) {
	t.Helper()
	r := httptest.NewRequest(http.MethodPost, "/x", strings.NewReader(v.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	return page.ReadForm(r)
}

func TestFieldsAreReadAndWhatCannotBeIsSaid(t *testing.T) {
	f, err := posted(t, url.Values{"n": {" 12 "}, "mm": {"8,4"}, "on": {"14.1.2027"}, "bad": {"many"}, "none": {""}})
	require.NoError(t, err)
	assert.Equal(t, 12, f.Int("n"))
	assert.Equal(t, 8.4, f.Number("mm"))
	assert.Equal(t, time.Date(2027, 1, 14, 0, 0, 0, 0, time.UTC), f.Date("on"))
	assert.Zero(t, f.Int("none"))
	assert.True(t, f.Date("none").IsZero())
	require.NoError(t, f.Err())
	f.Int("bad")
	f.Number("bad")
	f.Date("bad")
	form, ok := f.WithProblems(f.Err())
	require.True(t, ok)
	assert.Equal(t, "Type a whole number.", form.Problems["bad"], "the first problem of a field is shown")
	assert.Equal(t, "many", form.Values.Get("bad"), "nothing typed is lost")
	assert.NotEmpty(t, form.Once)
}

func TestSignsThatAreNoTextAreTurnedAway(t *testing.T) {
	for _, v := range []string{"a\x00b", "\xff\xfe"} {
		_, err := posted(t, url.Values{"name": {v}})
		var p nursery.Problem
		require.ErrorAs(t, err, &p)
		assert.Contains(t, p.Says, "not text")
	}
}

func TestProblemsAreSortedByField(t *testing.T) {
	form, ok := page.NewForm("code", "L-1").
		WithProblems(nursery.Problems{{Field: "code", Says: "first"}, {Field: "code", Says: "second"}, {Says: "whole"}})
	require.True(t, ok)
	assert.Equal(t, "first", form.Problems["code"])
	assert.Equal(t, "whole", form.Whole)
	_, ok = form.WithProblems(errors.New("the disk is full"))
	assert.False(t, ok, "what typing cannot mend is no problem of the form")
	_, ok = form.WithProblems(nil)
	assert.False(t, ok)
}

func TestBackLeadsToThisHouseOnly(t *testing.T) {
	for from, want := range map[string]string{"http://house.example/stock?after=3": "/stock?after=3", "http://evil.example/x": "/today",
		"": "/today", "::bad": "/today", "http://house.example//evil.example/x": "/today"} {
		r := httptest.NewRequest(http.MethodPost, "http://house.example/season-group", nil)
		r.Header.Set("Referer", from)
		assert.Equal(t, want, page.Back(r, "/today"), from)
	}
}

func TestCountsAreWrittenWithCommas(t *testing.T) {
	for n, want := range map[int]string{0: "0", 12: "12", 999: "999", 1000: "1,000", 1234567: "1,234,567", -1234: "-1,234", -123: "-123"} {
		assert.Equal(t, want, words.Thousands(n))
	}
	assert.Equal(t, "8.25", page.MM(8.25))
}

func TestKeysOfFormsAreAllDifferent(t *testing.T) {
	seen := map[string]bool{}
	for range 500 {
		u := page.UUID()
		require.Regexp(t, `^[0-9a-f]{8}-[0-9a-f]{4}-4[0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}$`, u)
		require.False(t, seen[u])
		seen[u] = true
	}
}

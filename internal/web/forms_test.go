package web_test

import (
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
)

// send posts a form and gives the status, where it leads, and the page.
func (h *house) send(t *testing.T, c *http.Client, path string, v url.Values) (int, string, string) {
	t.Helper()
	r, err := c.PostForm(h.URL+path, v)
	require.NoError(t, err)
	defer r.Body.Close()
	b, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	return r.StatusCode, r.Header.Get("Location"), string(b)
}

func fields(pairs ...string) url.Values {
	v := url.Values{}
	for i := 0; i+1 < len(pairs); i += 2 {
		v.Add(pairs[i], pairs[i+1])
	}
	return v
}

// TestBadInputOnEveryForm sends each form something wrong: the page comes back
// with words, and with what was typed.
func TestBadInputOnEveryForm(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	c := h.as(t, "maud")
	due, live := h.dueTag(t), h.liveTag(t)
	batch := h.one(t, `select b.code from batch b where not exists (select 1 from tag t where t.batch_id = b.id) limit 1`)
	for name, f := range map[string]struct {
		path string
		v    url.Values
		says string
		kept string
	}{
		"lot without stems": {"/stock", fields("code", "L-999", "genus", "quince", "stock_type", "Kept Type", "form", "bare-root",
			"received", "0", "received_on", "2027-02-01"), "Count the stems", "Kept Type"},
		"lot of a known code": {"/stock", fields("code", "L-201", "genus", "quince", "stock_type", "T", "form", "bare-root",
			"received", "5", "received_on", "2027-02-01"), "already there", "L-201"},
		"lot graded backward": {"/stock", fields("code", "L-998", "genus", "quince", "stock_type", "T", "form", "bare-root",
			"received", "5", "received_on", "2027-02-01", "grade_low", "9", "grade_high", "7"), "from a smaller to a larger", "L-998"},
		"lot of no genus":       {"/stock", fields("code", "L-997", "genus", "dragon"), "Choose a genus", "dragon"},
		"a reading of no stem":  {"/stock/lots/L-201/readings", fields("mm", "8.2 820 8.4"), "820 mm is not a stem", "8.2 820 8.4"},
		"a reading of letters":  {"/stock/lots/L-201/readings", fields("mm", "8.2 x"), "is not a number", "8.2 x"},
		"lost without a reason": {"/stock/lots/L-201/settle", fields("move", "free>lost", "n", "3", "reason", ""), "Say why", ""},
		"more lost than free": {"/stock/lots/L-201/settle", fields("move", "free>lost", "n", "99999", "reason", "mice"),
			"fewer than 99999", "mice"},
		"a plant seen by nobody": {"/wood/plants", fields("code", "M-99", "genus", "pear", "variety", "Kept Name", "seen_true_on",
			"2026-09-01"), "both who saw it and when", "Kept Name"},
		"a bundle of no plant": {"/wood/bundles", fields("code", "W-999", "plant", "M-404", "state", "resting", "cut_on", "2027-02-01",
			"sticks", "5", "length_mm", "500", "base_mm", "9", "tip_mm", "6", "internode_mm", "20", "buds_per_piece", "3"),
			"No mother plant is called M-404", "M-404"},
		"a bundle cut tomorrow": {"/wood/bundles", fields("code", "W-998", "plant", "M-1", "cut_on", "2027-02-24"), "today or before",
			"W-998"},
		"wood thrown out twice": {"/wood/bundles/W-301/throw-out", fields("n", "99999", "reason", "dropped"), "fewer than 99999",
			"dropped"},
		"an order of no trees": {"/orders", fields("code", "O-999", "genus", "pear", "variety", "Kept Variety", "stock_type", "T",
			"trees", "-4", "due_on", "2028-02-01"), "Count the trees", "Kept Variety"},
		"an order of a bad day": {"/orders", fields("code", "O-998", "genus", "pear", "variety", "V", "stock_type", "T", "trees", "4",
			"due_on", "soon"), "such as 2027-01-14", "O-998"},
		"a batch of no form": {"/match/O-52", fields("once", "x"), "Load the page anew", ""},
		"tags for nobody": {"/bench/batches/" + batch + "/tags", fields("day", "2027-02-24"), "Choose at least one worker",
			"2027-02-24"},
		"a tag for a stranger": {"/bench/batches/" + batch + "/tags", fields("day", "2027-02-24", "worker", "9999"),
			"does not work at the bench", ""},
		"a begun tag handed on": {"/bench/tags/" + live + "/hand-over", fields("to", "2"), "one worker", ""},
		"more than were tied": {"/heal/" + due, fields("once", "0f0e0d0c-0b0a-4908-8706-050403020100", "look", "first look", "taken",
			"99"), "only", "99"},
		"a count of letters": {"/heal/" + due, fields("once", "0f0e0d0c-0b0a-4908-8706-050403020100", "look", "first look", "taken",
			"lots"), "whole number", "lots"},
		"somebody without a PIN": {"/house/people", fields("name", "Kept Person", "sign_in", "kept", "role", "bench hand"), "Give a PIN",
			"Kept Person"},
		"a short password": {"/house/people", fields("name", "New", "sign_in", "new", "role", "looker", "password", "short"),
			"at least 10", ""},
		"a flag on no day":       {"/season/pome", fields("on-1", "31 February", "spread-1", "9"), "such as 5 March", "31 February"},
		"years that differ much": {"/season/pome", fields("on-1", "5 March", "spread-1", "99"), "0 to 60 days", "99"},
		"a year that goes wrong": {"/season/pome", fields("on-0", "5 November", "on-1", "5 March", "on-2", "1 February", "on-4",
			"5 September"), "does not go round", "1 February"},
		"seen tomorrow": {"/season/pome/seen", fields("says", "buds swell", "on", "2027-02-24", "place", "Kept Place"),
			"still to come", "Kept Place"},
		"seen nothing known":    {"/season/pome/seen", fields("says", "pigs fly", "on", "2027-02-20"), "Choose what was seen", ""},
		"a month of 99 degrees": {"/season/normals", fields("group", "pome", "c-1", "99"), "between -40 and 45", "99"},
		"a site of nowhere":     {"/season/site", fields("climate", "moon", "side", "north"), "nearest to yours", ""},
		"weather of no days":    {"/devices/weather", fields("days", "0"), "1 to 1,100 days", "0"},
		"a day of nine hours":   {"/bench/hands/2", fields("h-1-1", "9", "knows", "splice"), "0 to 8 hours", "9"},
		"a week of sorcery":     {"/bench/hands/2", fields("h-1-1", "4", "knows", "sorcery"), "techniques from the list", ""},
		"away before leaving":   {"/bench/hands/2/away", fields("from", "2027-03-09", "to", "2027-03-01"), "before the first", ""},
		"away since never":      {"/bench/hands/2/away", fields("from", ""), "first day away", ""},
		"a bench of no seats":   {"/bench/stations/1", fields("seats", "0"), "1 to 500 seats", ""},
		"a move of nothing": {"/bench/days/move", fields("codes", "", "worker", "2", "day", "2027-02-24", "half", "1"),
			"Choose tags", ""},
		"a move to no hand": {"/bench/days/move", fields("codes", live, "worker", "9999", "day", "2027-02-24", "half", "1"),
			"any more", ""},
		"a begun tag moved": {"/bench/days/move", fields("codes", live, "worker", "2", "day", "2027-02-24", "half", "1"), "is begun",
			""},
		"a sheet of letters": {"/bench/day/2027-02-23/key",
			fields("once", "0f0e0d0c-0b0a-4908-8706-050403020199", "code", live, "tied-"+live, "lots"), "whole number", ""},
		"a sheet of too many": {"/bench/day/2027-02-23/key",
			fields("once", "0f0e0d0c-0b0a-4908-8706-050403020198", "code", live, "tied-"+live, "900"), "too many", "900"},
		"strays of a word": {"/match/union", fields("person", "2", "strays", "0.1 wobble"), "wobble is no number", "0.1 wobble"},
		"too few strays":   {"/match/union", fields("person", "2", "strays", "0.1 0.2"), "at least 5", "0.1 0.2"},
		"a tree worth less": {"/house/worth", fields("wage", "16", "tree", "-3", "stem", "1.30", "piece", "0.35", "delay", "25",
			"grade", "96"), "from 0 to a million", "-3"},
		"a wage of letters":     {"/house/worth", fields("wage", "a lot"), "Type a number", "a lot"},
		"a chance of certainty": {"/house", fields("house_name", "X", "tag_size", "25", "chance", "100"), "between 51 and 99", ""},
		"a way of their own":    {"/house/ways", fields("key", "sealing", "chosen", "chewing gum"), "", ""},
	} {
		status, to, body := h.send(t, c, f.path, f.v)
		assert.True(
			t,
			status == http.StatusUnprocessableEntity || status == http.StatusConflict,
			"%s: status %d, leads to %q",
			name,
			status,
			to,
		)
		assert.Contains(t, body, f.says, name)
		assert.Contains(t, body, f.kept, "%s: what was typed is kept", name)
		assert.NotContains(t, body, "Something broke", name)
	}
}

func TestGoodInputLeadsOn(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	c := h.as(t, "maud")
	due := h.dueTag(t)
	batch := h.one(t, `select b.code from batch b where not exists (select 1 from tag t where t.batch_id = b.id) limit 1`)
	pim := h.one(t, `select id::text from person where sign_in = 'pim'`)
	for _, f := range []struct {
		path string
		v    url.Values
		to   string
		says string
	}{
		{"/stock/lots/L-201/readings", fields("mm", "8,2; 9.1\n8.8"), "/stock/lots/L-201#measure", "3 readings are kept"},
		{"/stock/lots/L-201/readings/remove", fields("on", "2027-02-23", "no", "3", "reading_why", "the jaws were dirty"),
			"/stock/lots/L-201#measure", "taken out"},
		{"/stock/lots/L-201/settle", fields("move", "free>lost", "n", "2", "reason", "mice"), "/stock/lots/L-201#measure",
			"2 stems moved from free to lost"},
		{"/wood/bundles/W-302/throw-out", fields("n", "4", "reason", "touched the ground"), "/wood/bundles/W-302",
			"4 pieces are thrown out"},
		{"/house/ways", fields("key", "sealing", "chosen", "brushed wax"), "/house", "The house way is changed"},
		{"/house", fields("house_name", "Skelderholm", "place", "", "tag_size", "20", "chance", "85"), "/house", "numbers are kept"},
		{"/house/people/" + pim + "/leave", fields(), "/house", "access has ended"},
		{"/house/people/" + pim + "/leave", fields("back", "1"), "/house", "They are back"},
		{"/heal/places", fields("tag", due, "back", "tag", "place", "bench 4"), "/heal/" + due, "stands in bench 4"},
		{"/heal/places", fields("tag", due, "place", "bench 5"), "/heal", due + " stands in bench 5"},
		{"/house/techniques", fields("key", "chip-bud", "in_use", "yes", "min_mm", "3", "max_mm", "20", "ratio_min", "0.4"), "/house",
			"The technique is kept"},
		{"/house/worth", fields("wage", "17,50", "tree", "9", "stem", "1.20", "piece", "0.3", "delay", "20", "grade", "95"), "/house",
			"worth is kept"},
		{"/season/nut/seen", fields("says", "buds tight", "on", "2027-02-21", "place", "far bank"), "/season/nut", "Buds tight is noted"},
		{"/season/nut", fields("on-1", "20 March", "spread-1", "10"), "/season/nut", "usual dates are kept"},
		{"/season/tender/rest", fields("rests", "no"), "/season/tender", "takes no rest here"},
		{"/season/tender/seen", fields("says", "fresh flush"), "/season/tender", "Fresh flush is noted"},
		{"/season/tender", fields("norest", "1", "on-0", "1 December", "on-1", "1 April"), "/season/tender", "usual dates are kept"},
		{"/season/tender/rest", fields("rests", "yes"), "/season/tender", "This group rests here"},
		{"/season/site", fields("climate", "mild", "side", "south"), "/season/site?climate=mild&side=south",
			"house defaults of that climate"},
		{"/season/site", fields("climate", "inland", "side", "north"), "/season/site?climate=inland&side=north",
			"house defaults of that climate"},
		{"/season/normals", fields("group", "pome", "c-1", "2,5", "c-2", "3", "c-3", "6", "c-4", "9", "c-5", "12", "c-6", "15", "c-7",
			"17", "c-8", "17", "c-9", "14", "c-10", "10", "c-11", "6", "c-12", "3"), "/season/pome", "usual temperatures are kept"},
		{"/devices/weather", fields("days", "5", "how", "cold"), "/season", "sent 0 days"},
		{"/bench/hands/" + pim, fields("h-1-1", "3,5", "h-1-2", "3", "knows", "splice"), "/bench/hands", "The week is kept"},
		{"/bench/hands/" + pim + "/away", fields("from", "2027-03-01", "why", "harvest"), "/bench/hands", "days away are noted"},
		{"/bench/stations/1", fields("seats", "9"), "/bench/hands", "The seats are kept"},
		{"/bench/days", fields("once", "0f0e0d0c-0b0a-4908-8706-050403020777"), "/bench/days", "The days are planned"},
		{"/bench/days/undo", fields(), "/bench/days", "The plan is taken back"},
		{"/match/union", fields("person", pim, "strays", "0.1 -0.2 0,3 0 0.1"), "/match/union?as=" + pim, "looked at as this hand"},
		{"/bench/batches/" + batch + "/undo", fields(), "/match", "taken back"},
	} {
		status, to, body := h.send(t, c, f.path, f.v)
		require.Equal(t, http.StatusSeeOther, status, "%s: %s", f.path, body)
		assert.Equal(t, f.to, to)
		_, _, page := h.ask(t, c, "GET", strings.SplitN(to, "#", 2)[0])
		assert.Contains(t, page, f.says, f.path)
		_, _, page = h.ask(t, c, "GET", strings.SplitN(to, "#", 2)[0])
		assert.NotContains(t, page, `role="status">`+f.says, "said once")
	}
}

// TestAFormSentAgainAfterALostAnswerWorksOnce sends what a browser sends when
// it asks "send the form again?".
func TestAFormSentAgainAfterALostAnswerWorksOnce(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	c := h.as(t, "maud")
	for i, f := range []struct {
		path, count string
		v           url.Values
		more        int
	}{
		{"/stock/lots/L-201/readings",
			`select count(*) from caliper_reading r join stock_lot l on l.id = r.lot_id where l.code = 'L-201'`, fields("mm", "8.2 8.4"),
			2},
		{"/stock/lots/L-201/settle", `select coalesce(sum(n), 0) from stock_ledger where to_account = 'lost'`,
			fields("move", "free>lost", "n", "3", "reason", "mice"), 3},
		{"/wood/bundles/W-302/throw-out", `select coalesce(sum(n), 0) from wood_ledger where note = 'mould'`,
			fields("n", "4", "reason", "mould"), 4},
	} {
		var before, after int
		require.NoError(t, h.db.Get(&before, f.count))
		f.v.Set("once", "0f0e0d0c-0b0a-4908-8706-05040302010"+string(rune('0'+i)))
		for range 2 {
			status, _, _ := h.send(t, c, f.path, f.v)
			require.Equal(t, http.StatusSeeOther, status)
		}
		require.NoError(t, h.db.Get(&after, f.count))
		assert.Equal(t, f.more, after-before, f.path)
	}
}

// TestListsPageByKey walks a long list to its end.
func TestListsPageByKey(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	c := h.as(t, "maud")
	_, err := h.db.Exec(`insert into stock_lot (code, stock_type_id, received_on, form, received, made_at)
		select 'X-' || n, (select min(id) from stock_type), '2027-01-01', 'potted', 5, now() from generate_series(1, 100) n`)
	require.NoError(t, err)
	seen, path := 0, "/stock"
	for range 10 {
		_, _, body := h.ask(t, c, "GET", path)
		seen += strings.Count(body, `<a href="/stock/lots/`)
		i := strings.Index(body, `href="/stock?after=`)
		if i < 0 {
			break
		}
		path = strings.SplitN(body[i+len(`href="`):], `"`, 2)[0]
	}
	var all int
	require.NoError(t, h.db.Get(&all, `select count(*) from stock_lot`))
	assert.Equal(t, all, seen, "every lot once")
}

func TestNamesAreEscapedEverywhere(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	c := h.as(t, "maud")
	const nasty = `<img src=x onerror=alert(1)>`
	status, _, _ := h.send(
		t,
		c,
		"/stock",
		fields(
			"code",
			"L-900",
			"genus",
			"pear",
			"stock_type",
			nasty,
			"form",
			"potted",
			"received",
			"50",
			"received_on",
			"2027-02-01",
			"place",
			nasty,
			"grade_low",
			"8",
			"grade_high",
			"9",
		),
	)
	require.Equal(t, http.StatusSeeOther, status)
	status, _, _ = h.send(t, c, "/wood/plants", fields("code", "M-900", "genus", "pear", "variety", nasty))
	require.Equal(t, http.StatusSeeOther, status)
	status, _, _ = h.send(
		t,
		c,
		"/wood/bundles",
		fields(
			"code",
			"W-900",
			"plant",
			"M-900",
			"state",
			"resting",
			"cut_on",
			"2027-02-01",
			"sticks",
			"9",
			"length_mm",
			"500",
			"base_mm",
			"9",
			"tip_mm",
			"6",
			"internode_mm",
			"20",
			"buds_per_piece",
			"3",
		),
	)
	require.Equal(t, http.StatusSeeOther, status)
	status, _, _ = h.send(
		t,
		c,
		"/orders",
		fields(
			"code",
			"O-900",
			"genus",
			"pear",
			"variety",
			nasty,
			"stock_type",
			nasty,
			"trees",
			"10",
			"due_on",
			"2028-02-01",
			"buyer",
			nasty,
		),
	)
	require.Equal(t, http.StatusSeeOther, status)
	for _, path := range []string{"/stock", "/stock/lots/L-900", "/wood", "/wood/bundles/W-900", "/orders", "/orders/O-900",
		"/match/O-900", "/today", "/find?q=%3Cimg", "/house/changes"} {
		status, _, body := h.ask(t, c, "GET", path)
		require.Equal(t, 200, status, path)
		assert.NotContains(t, body, nasty, path)
	}
}

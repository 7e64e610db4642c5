package web_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
	"unionknot/internal/web/page"
)

// records reads the newest lines of the record of changes about something.
func (h *house) records(t *testing.T, what, ref string) (lines []string) {
	t.Helper()
	require.NoError(t, h.db.Select(&lines, `select doing || ' ' || coalesce(before::text, '-') || ' ' || coalesce(after::text, '-')
		from change_record where what = $1 and ref = $2 order by id desc limit 5`, what, ref))
	return lines
}

// TestABenchHandCorrectsTheirOwnCountsOnly: another's count stands until the propagator
// or whoever made it corrects it, and the page says so.
func TestABenchHandCorrectsTheirOwnCountsOnly(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	var tag, first string
	var counted int64
	require.NoError(t, h.db.QueryRow(`select t.code, c.id, c.person_id from take_count c join tag t on t.id = c.tag_id
		where c.look = 'first look' and c.doubtful = 0 and c.dead > 0 and not exists (select 1 from take_count r where r.replaces_id = c.id)
		and not exists (select 1 from take_count r where r.tag_id = c.tag_id and r.look <> c.look)
		and not exists (select 1 from tree_move m where m.tag_id = t.id) and c.taken > 2
		and exists (select 1 from person p where p.id = c.person_id and p.sign_in <> 'ansel') limit 1`).Scan(&tag, &first, &counted))
	var taken, dead int
	require.NoError(t, h.db.QueryRow(`select taken, dead from take_count where id = $1`, first).Scan(&taken, &dead))
	ansel, maud := h.as(t, "ansel"), h.as(t, "maud")
	correct := func(c *http.Client, replaces string, taken, dead int) (int, string) {
		status, _, body := h.sendForm(t, c, "/heal/"+tag, "once", page.UUID(), "look", "first look", "replaces", replaces, "sure", "yes",
			"taken", fmt.Sprint(taken), "doubtful", "0", "dead", fmt.Sprint(dead))
		return status, body
	}
	status, body := correct(ansel, first, taken-1, dead+1)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "counted this. If your count differs")
	_, _, body = h.ask(t, ansel, http.MethodGet, "/heal/"+tag+"?look=first+look")
	assert.Contains(t, body, "counted this. If your count differs")
	assert.NotContains(t, body, `name="replaces"`)
	assert.Equal(t, "0", h.one(t, `select count(*)::text from take_count where replaces_id = '`+first+`'`))

	status, _ = correct(maud, first, taken-1, dead+1)
	require.Equal(t, http.StatusSeeOther, status)
	line := h.records(t, "tag", tag)[0]
	assert.Contains(t, line, "count corrected", "both sides are in the record")
	assert.Contains(t, line, fmt.Sprintf(`"Taken": %d,`, taken))
	assert.Contains(t, line, fmt.Sprintf(`"Taken": %d,`, taken-1))
}

// TestABenchHandThrowsNothingOut: what they find is noted; the pieces stay.
func TestABenchHandThrowsNothingOut(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	ansel := h.as(t, "ansel")
	var store, bundle string
	var free int
	require.NoError(t, h.db.QueryRow(`select p.name, b.code, w.n from wood_bundle b join store_place p on p.name = b.place
		join wood_balance w on w.bundle_id = b.id and w.account = 'free' where w.n > 5 limit 1`).Scan(&store, &bundle, &free))
	look := func(thrown string) (int, string) {
		status, _, body := h.sendForm(
			t,
			ansel,
			"/wood/store/look",
			"once",
			page.UUID(),
			"store",
			store,
			"bundle",
			bundle,
			"found",
			"mould",
			"thrown",
			thrown,
		)
		return status, body
	}
	status, body := look("5")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "Throwing out is the propagator")
	_, _, body = h.ask(t, ansel, http.MethodGet, "/wood/store")
	assert.NotContains(t, body, `name="thrown"`)
	status, _ = look("")
	assert.Equal(t, http.StatusSeeOther, status)
	assert.Equal(t, fmt.Sprint(free), h.one(t, `select w.n::text from wood_balance w join wood_bundle b on b.id = w.bundle_id
		where w.account = 'free' and b.code = '`+bundle+`'`))
}

// TestABenchHandTakesBackTheirOwnWork: a step that another did is theirs to take back.
func TestABenchHandTakesBackTheirOwnWork(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	ansel, maud := h.as(t, "ansel"), h.as(t, "maud")
	var tag string
	require.NoError(t, h.db.Get(&tag, `select code from tag where finished_at is not null and tied - gone > 3 order by id desc limit 1`))
	act := func(c *http.Client, kind, id, undoes string) string {
		body := fmt.Sprintf(
			`{"acts":[{"id":%q,"kind":%q,"undoes":%q,"n":1,"cause":"animals","items":[{"code":%q}]}]}`,
			id,
			kind,
			undoes,
			tag,
		)
		r, err := http.NewRequest(http.MethodPost, h.URL+"/grow/acts", strings.NewReader(body))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/json")
		a, err := c.Do(r)
		require.NoError(t, err)
		defer a.Body.Close()
		var said struct{ Refused []struct{ Why string } }
		require.NoError(t, json.NewDecoder(a.Body).Decode(&said))
		if len(said.Refused) > 0 {
			return said.Refused[0].Why
		}
		return ""
	}
	hers, his := page.UUID(), page.UUID()
	require.Empty(t, act(maud, "lost", hers, ""))
	require.Empty(t, act(ansel, "lost", his, ""))
	assert.Contains(t, act(ansel, "undo", page.UUID(), hers), "Somebody else did that")
	assert.Empty(t, act(ansel, "undo", page.UUID(), his))
	assert.Empty(t, act(maud, "undo", page.UUID(), hers))
}

// TestWhoIsRefusedIsInTheRecord, once, however often they try.
func TestWhoIsRefusedIsInTheRecord(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	ansel := h.as(t, "ansel")
	for range 3 {
		status, _, _ := h.ask(t, ansel, http.MethodGet, "/house")
		require.Equal(t, http.StatusForbidden, status)
	}
	assert.Equal(t, []string{`was refused - "GET"`}, h.records(t, "page", "/house"))
	assert.Equal(t, "127.0.0.1", h.one(t, `select address from change_record where what = 'page' order by id desc limit 1`))
}

// TestBothSidesAreInTheRecord: what stood before each change, beside what stands after.
func TestBothSidesAreInTheRecord(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	maud := h.as(t, "maud")
	id, name := h.person(t, "ansel"), h.one(t, `select name from person where sign_in = 'ansel'`)
	for _, c := range []struct {
		name, path string
		form       []string
		what, ref  string
		before     string
	}{
		{"a week", "/bench/hands/" + id, []string{"hours-1-1", "3"}, "person", name, `"Hours"`},
		{"seats", "/bench/stations/1", []string{"seats", "9"}, "station", "1", `seats `},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, _, _ = h.sendForm(t, maud, c.path, c.form...)
			lines := h.records(t, c.what, c.ref)
			require.NotEmpty(t, lines)
			assert.Contains(t, lines[0], c.before)
			assert.NotContains(t, lines[0], " - ", "what stood before is there")
		})
	}
}

// TestWhatIsHeldOfAPerson: all of it, without secrets, for themselves and the propagator;
// nobody else.
func TestWhatIsHeldOfAPerson(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	id := h.person(t, "ansel")
	status, _, body := h.ask(t, h.as(t, "ansel"), http.MethodGet, "/me/data.json")
	require.Equal(t, http.StatusOK, status)
	var held struct {
		Name string
		Held map[string][]map[string]any
	}
	require.NoError(t, json.Unmarshal([]byte(body), &held))
	for table, query := range map[string]string{"tap.person_id": `tap where person_id = `, "take_count.person_id": `take_count where
		person_id = `,
		"any_tag.worker_id": `any_tag where worker_id = `, "person_hours.person_id": `person_hours where person_id = `} {
		assert.Equal(t, h.one(t, `select count(*)::text from `+query+id), fmt.Sprint(len(held.Held[table])), table)
	}
	assert.NotEmpty(t, held.Held["sessions.person_id"])
	for _, secret := range []string{"argon2id", "password_hash", "pin_hash", `"token"`} {
		assert.NotContains(t, body, secret)
	}
	status, _, _ = h.ask(t, h.as(t, "maud"), http.MethodGet, "/house/people/"+id+"/data.json")
	assert.Equal(t, http.StatusOK, status)
	status, _, _ = h.ask(t, h.as(t, "vera"), http.MethodGet, "/house/people/"+id+"/data.json")
	assert.Equal(t, http.StatusForbidden, status)
	status, _, body = h.ask(t, h.as(t, "maud"), http.MethodGet, "/house/people/99999/data.json")
	assert.Equal(t, http.StatusNotFound, status)
	assert.Contains(t, body, "Not here", "an error is a page, not a file")
	assert.Contains(t, h.records(t, "person", held.Name)[0], "took away what is held")
}

// TestAPersonIsErased: the name goes from everywhere, the number and the work stay, and
// nothing lets them in again.
func TestAPersonIsErased(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	maud, id := h.as(t, "maud"), h.person(t, "ansel")
	name := h.one(t, `select name from person where sign_in = 'ansel'`)
	ansel := h.as(t, "ansel")
	tied := h.one(t, `select sum(tied)::text from any_tag where worker_id = `+id)
	erase := func(typed string) (int, string) {
		status, _, body := h.sendForm(t, maud, "/house/people/"+id, "do", "erase", "erase", typed)
		return status, body
	}
	status, body := erase(name)
	assert.Equal(t, http.StatusUnprocessableEntity, status, "not before they have left")
	assert.Contains(t, body, "note first that they leave")
	status, _, body = h.sendForm(t, maud, "/house/people/"+id+"/leave")
	require.Equal(t, http.StatusSeeOther, status, body)
	status, body = erase("Ansel")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "Type the name as it stands")
	status, _ = erase(name)
	require.Equal(t, http.StatusSeeOther, status)

	assert.Equal(t, "Erased "+id, h.one(t, `select name from person where id = `+id))
	assert.Equal(t, tied, h.one(t, `select sum(tied)::text from any_tag where worker_id = `+id), "what they did stays")
	var tables []struct {
		Tab, Col string
	}
	require.NoError(
		t,
		h.db.Select(&tables, `select k.relname as tab, a.attname as col from pg_attribute a join pg_class k on k.oid = a.attrelid
		where k.relnamespace = 'public'::regnamespace and k.relkind = 'r' and a.attnum > 0 and not a.attisdropped
		and a.atttypid in ('text'::regtype, 'jsonb'::regtype)`),
	)
	require.Greater(t, len(tables), 100)
	for _, x := range tables {
		n := h.one(t, fmt.Sprintf(`select count(*)::text from %q where strpos(%q::text, '%s') > 0`, x.Tab, x.Col, name))
		assert.Equal(t, "0", n, "%s.%s still has the name", x.Tab, x.Col)
	}
	assert.False(t, h.in(t, ansel))
	assert.Equal(t, "0", h.one(t, `select count(*)::text from change_record where person_id = `+id+` and address <> ''`))
	status, _, body = h.sendForm(t, maud, "/house/people/"+id+"/leave", "back", "1")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "nothing brings it back")
	status, _ = erase("Erased " + id)
	assert.Equal(t, http.StatusNotFound, status, "once is enough")
}

// TestOpenTabletsAreListedAndClosed on House.
func TestOpenTabletsAreListedAndClosed(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	tablet := h.as(t, "maud")
	_, _, _ = h.sendForm(t, tablet, "/tablet")
	maud := h.as(t, "maud")
	_, _, body := h.ask(t, maud, http.MethodGet, "/house")
	require.Contains(t, body, "Open tablets")
	_, rest, _ := strings.Cut(body, `action="/house/tablets"><input type="hidden" name="session" value="`)
	token, _, _ := strings.Cut(rest, `"`)
	require.NotEmpty(t, token)
	status, _, _ := h.sendForm(t, maud, "/house/tablets", "session", token)
	require.Equal(t, http.StatusSeeOther, status)
	_, to, _ := h.ask(t, tablet, http.MethodGet, "/today")
	assert.Contains(t, to, "/sign-in", "it is no tablet any more")
	_, _, body = h.ask(t, maud, http.MethodGet, "/house")
	assert.NotContains(t, body, "Open tablets")
}

package web_test

import (
	"encoding/csv"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"unionknot/internal/books"
	"unionknot/internal/testhouse"
)

// counts are those of a tag, in the order of the year, as the forms call them.
var bookCounts = []string{"first look", "take look", "bud look", "end of season"}

// bookAct is one act of a season that is held against the books: what a person sends, and what it means.
type bookAct struct {
	says string
	path string
	form url.Values
	// keep enters it into the books, once the product says that it is kept.
	keep func(*bookRun)
}

// bookRun is a house with its books.
type bookRun struct {
	t        *testing.T
	h        *house
	c        *http.Client
	r        *rand.Rand
	b        *books.Books
	order    string
	acts     []string                  // done
	touched  []string                  // tags of the last act
	ids      map[string][]*books.Entry // by the id of the act that made them
	screens  int
	refusals int
}

// TestASeasonAgreesWithIndependentBooks plays counts, losses, grading, deliveries, returns and undoing at random through
// the forms that people send. After every act each screen that shows a balance agrees with books that know nothing of
// the product, and every sum closes. SEEDS=200 plays more.
func TestASeasonAgreesWithIndependentBooks(t *testing.T) {
	seeds := []uint64{0, 1, 23} // the last undid a delivery of which trees had come back
	if n, err := strconv.Atoi(os.Getenv("SEEDS")); err == nil {
		seeds = nil
		for i := range n {
			seeds = append(seeds, uint64(i))
		}
	}
	acts, screens, refused := 0, 0, 0
	for _, seed := range seeds {
		run := openBooks(t, seed)
		for range 40 {
			run.play(run.next())
			if err := run.compare(); err != nil {
				t.Fatalf("seed %d: %v\nafter:\n%s", seed, err, strings.Join(run.acts, "\n"))
			}
		}
		acts, screens, refused = acts+len(run.acts), screens+run.screens, refused+run.refusals
	}
	t.Logf("%d seasons, %d acts kept, %d refused, %d screens read, no disagreement", len(seeds), acts, refused, screens)
	require.Greater(t, acts, 20*len(seeds), "most acts are kept")
}

// openBooks opens a house whose order O-42 has finished tags, and lays its page of the books.
func openBooks(t *testing.T, seed uint64) *bookRun {
	h := open(t, testhouse.Demo(t))
	run := &bookRun{t: t, h: h, c: h.as(t, "maud"), r: rand.New(rand.NewPCG(seed, 34)), b: books.New(bookCounts...), order: "O-42",
		ids: map[string][]*books.Entry{}}
	var rows []struct {
		Code string
		Tied int
	}
	require.NoError(t, h.db.Select(&rows, `select t.code, t.tied from tag t join batch b on b.id = t.batch_id join orders o on
		o.id = b.order_id where o.code = $1 and t.finished_at is not null order by t.id`, run.order))
	require.NotEmpty(t, rows)
	for _, x := range rows {
		run.b.Tie(x.Code, run.order, x.Tied)
	}
	var made []struct {
		Code, Look                    string
		Taken, Doubtful, Dead, Missed int
		Causes                        string
	}
	require.NoError(t, h.db.Select(&made, `select t.code, c.look, c.taken, c.doubtful, c.dead, c.missed,
		coalesce((select string_agg(x.cause || '=' || x.n, ';') from count_cause x where x.count_id = c.id), '') as causes
		from take_count c join tag t on t.id = c.tag_id where t.code = any($1)
		and not exists (select 1 from take_count r where r.replaces_id = c.id)`, run.b.Codes()))
	for _, m := range made {
		c := books.Count{Alive: m.Taken, Doubtful: m.Doubtful, Missed: m.Missed, Dead: map[string]int{}}
		named := 0
		for _, x := range strings.Split(m.Causes, ";") {
			if cause, n, ok := strings.Cut(x, "="); ok {
				c.Dead[cause], _ = strconv.Atoi(n)
				named += c.Dead[cause]
			}
		}
		c.Dead[""] = m.Dead - named
		run.b.Tags[m.Code].Counts[m.Look] = c
	}
	return run
}

func (run *bookRun) pick(xs []string) string { return xs[run.r.IntN(len(xs))] }

// next makes up an act that people could send.
func (run *bookRun) next() bookAct {
	code := run.pick(run.b.Codes())
	once := run.uuid()
	switch run.r.IntN(9) {
	case 0, 1, 2:
		return run.count(code, once)
	case 3:
		n, cause := 1+run.r.IntN(3), run.pick([]string{"dried out", "knocked or broken", "animals"})
		return run.entry(once, "a loss", "/grow/do", fields("once", once, "kind", "lost", "item", code, "n", fmt.Sprint(n), "cause", cause,
			"back", code), books.Entry{Kind: "lost", Tag: code, N: n, Cause: cause})
	case 4:
		n := 1 + run.r.IntN(2)
		return run.entry(once, "below grade", "/grow/do", fields("once", once, "kind", "below", "item", code, "n", fmt.Sprint(n),
			"back", code),
			books.Entry{Kind: "below", Tag: code, N: n})
	case 5, 6:
		return run.goes(once, "sold")
	case 7:
		return run.goes(once, "returned")
	}
	var ids []string
	for id, es := range run.ids {
		if !es[0].Undone {
			ids = append(ids, id)
		}
	}
	if len(ids) == 0 {
		return run.count(code, once)
	}
	slices.Sort(ids)
	id := run.pick(ids)
	return bookAct{"undo " + id[:8], "/grow/do", fields("once", once, "kind", "undo", "undoes", id), func(run *bookRun) {
		for _, e := range run.ids[id] {
			e.Undone = true
		}
	}}
}

// goes sells or returns trees of two tags in one form.
func (run *bookRun) goes(once, kind string) bookAct {
	codes := run.b.Codes()
	i := run.r.IntN(len(codes) - 1)
	order := run.pick([]string{run.order, ""})
	form := fields("once", once, "kind", kind, "of_order", run.order, "order", order, "buyer", "", "reason", "agreed",
		"back", "/orders/"+run.order)
	if order == "" {
		form.Set("order", "-")
		form.Set("buyer", "another nursery")
	}
	var es []books.Entry
	for _, code := range codes[i : i+2] {
		n := 1 + run.r.IntN(4)
		form.Set("trees:"+code, fmt.Sprint(n))
		es = append(es, books.Entry{Kind: kind, Tag: code, N: n, Order: order})
	}
	return run.entry(once, kind, "/grow/trees", form, es...)
}

func (run *bookRun) entry(id, what, path string, form url.Values, es ...books.Entry) bookAct {
	return bookAct{fmt.Sprintf("%s %s: %+v", what, id[:8], es), path, form, func(run *bookRun) {
		for _, e := range es {
			e.After = run.b.Last(e.Tag)
			run.b.Entries = append(run.b.Entries, &e)
			run.ids[id] = append(run.ids[id], &e)
		}
	}}
}

// count counts a tag, or corrects its last count, on its own page or with its place; some numbers do not add up.
func (run *bookRun) count(code, once string) bookAct {
	last := run.b.Last(code)
	at := slices.Index(bookCounts, last)
	again := at >= 0 && run.r.IntN(3) == 0
	if !again {
		at++
	}
	if at == len(bookCounts) {
		at, again = at-1, true
	}
	look := bookCounts[at]
	stood := run.b.Stood(code, look)
	c := books.Count{Dead: map[string]int{}}
	left := stood
	take := func(most int) int {
		n := run.r.IntN(min(most, left) + 1)
		left -= n
		return n
	}
	c.Doubtful = take(3)
	c.Dead["dried out"], c.Dead["animals"], c.Dead[""] = take(2), take(2), take(1)
	rest := run.pick([]string{"", "", "dead", "not counted"})
	if rest != "" && left > 1 {
		missing := 1 + run.r.IntN(2)
		missing = min(missing, left-1)
		left -= missing
		if rest == "dead" {
			c.Dead[""] += missing
		} else {
			c.Missed = missing
		}
	} else {
		rest = ""
	}
	c.Alive = left
	typed := c.Dead["dried out"] + c.Dead["animals"] + c.Dead[""]
	if rest == "dead" {
		typed = stood - c.Alive - c.Doubtful - (stood - c.Alive - c.Doubtful - typed)
	}
	form := fields("once", once, "look", look, "taken", fmt.Sprint(c.Alive), "doubtful", fmt.Sprint(c.Doubtful), "dead", fmt.Sprint(typed),
		"cause:dried out", fmt.Sprint(c.Dead["dried out"]), "cause:animals", fmt.Sprint(c.Dead["animals"]))
	if rest == "not counted" {
		form.Set("rest", rest)
	}
	if again {
		form.Set("replaces", run.h.one(run.t, `select c.id::text from take_count c join tag t on t.id = c.tag_id where t.code = '`+code+`'
			and c.look = '`+look+`' and not exists (select 1 from take_count r where r.replaces_id = c.id)`))
	}
	return bookAct{fmt.Sprintf("%s of %s, again %v, of %d: %+v", look, code, again, stood, c), "/heal/" + code, form, func(run *bookRun) {
		run.b.Tags[code].Counts[look] = c
	}}
}

func (run *bookRun) uuid() string {
	a, b := run.r.Uint64(), run.r.Uint64()
	a, b = a&^0xf000|0x4000, b&^(3<<62)|2<<62
	return fmt.Sprintf("%08x-%04x-%04x-%04x-%012x", a>>32, a>>16&0xffff, a&0xffff, b>>48, b&0xffffffffffff)
}

// play sends an act twice, as a double click does, and enters it into the books if it was kept.
func (run *bookRun) play(x bookAct) {
	rows := func() string {
		return run.h.one(run.t, `select (select count(*) from take_count) || ' ' || (select count(*) from tree_move) || ' ' ||
			(select count(*) from tree_move where undone_at is not null)`)
	}
	before := rows()
	status, body, _ := run.h.counted(run.t, run.c, http.MethodPost, x.path, x.form)
	require.Less(run.t, status, 500, "%s: %s", x.says, said(body))
	kept := rows() != before
	after := rows()
	status, _, _ = run.h.counted(run.t, run.c, http.MethodPost, x.path, x.form)
	require.Less(run.t, status, 500)
	require.Equal(run.t, after, rows(), "sent twice it counts once: %s", x.says)
	if !kept {
		run.refusals++
		return
	}
	run.acts = append(run.acts, x.says)
	run.touched = nil
	for _, code := range run.b.Codes() {
		if strings.Contains(x.says, code) {
			run.touched = append(run.touched, code)
		}
	}
	x.keep(run)
}

var (
	partOf     = regexp.MustCompile(`([\d,]+) (delivered|alive|doubtful|healing|lost|below grade|sold elsewhere)\b`)
	liveOf     = regexp.MustCompile(`finished [^.]*\.\s+(\d+)\s+of (\d+) live`)
	owedOf     = regexp.MustCompile(`(\d+)\s+of\s+(\d+) delivered;\s+(\d+)\s+still owed`)
	stoodOf    = regexp.MustCompile(`data-tied="(\d+)"`)
	standingOf = regexp.MustCompile(`data-standing="(\d+)"`)
)

// compare reads every screen that shows a balance, and says where one differs from the books.
func (run *bookRun) compare() error {
	x := run.b.Balance(run.order)
	if err := x.Closes(); err != nil {
		return err
	}
	want := map[string]int{"delivered": x.Delivered, "alive": x.Alive, "doubtful": x.Doubtful, "healing": x.Healing, "lost": x.Lost,
		"below grade": x.Below, "sold elsewhere": x.Elsewhere}
	read := func(path string) string {
		run.screens++
		_, _, body := run.h.ask(run.t, run.c, http.MethodGet, path)
		return body
	}
	page := said(read("/orders/" + run.order))
	flat := gaps.ReplaceAllString(page, " ")
	got, parts := map[string]int{}, ""
	for _, l := range strings.Split(page, "\n") {
		if loc := partOf.FindStringIndex(l); loc != nil && loc[0] == 0 && strings.Contains(l, "to expect of it") {
			parts, _, _ = strings.Cut(l, ";")
			break
		}
	}
	for _, m := range partOf.FindAllStringSubmatch(parts, -1) {
		got[m[2]], _ = strconv.Atoi(strings.ReplaceAll(m[1], ",", ""))
	}
	for k, n := range want {
		if got[k] != n {
			return fmt.Errorf("order page: %d %s, books %d (%q)", got[k], k, n, parts)
		}
	}
	m := owedOf.FindStringSubmatch(flat)
	if m == nil || m[1] != fmt.Sprint(x.Delivered) {
		return fmt.Errorf("order page, deliveries: %v, books %d", m, x.Delivered)
	}
	trees := read("/grow/trees?of_order=" + run.order)
	sum := 0
	for _, m := range standingOf.FindAllStringSubmatch(trees, -1) {
		n, _ := strconv.Atoi(m[1])
		sum += n
	}
	if all := x.Alive + x.Doubtful + x.Healing; sum != all {
		return fmt.Errorf("trees of the order: %d standing, books %d", sum, all)
	}
	causes := map[string]int{}
	// The pages of the tags that the act touched, and of one that it did not.
	for _, code := range append(run.touched, run.pick(run.b.Codes())) {
		page := gaps.ReplaceAllString(said(read("/grow/tags/"+code)), " ")
		m := liveOf.FindStringSubmatch(page)
		if m == nil || m[1] != fmt.Sprint(run.b.Standing(code)) {
			return fmt.Errorf("growing page of %s: %v, books %d", code, m, run.b.Standing(code))
		}
		for i, look := range bookCounts {
			if i > slices.Index(bookCounts, run.b.Last(code))+1 {
				break
			}
			body := read("/heal/" + code + "?look=" + url.QueryEscape(look))
			if m := stoodOf.FindStringSubmatch(body); m == nil || m[1] != fmt.Sprint(run.b.Stood(code, look)) {
				return fmt.Errorf("%s of %s: %v stood, books %d", look, code, m, run.b.Stood(code, look))
			}
		}
	}
	run.screens++
	_, _, file := run.h.ask(run.t, run.c, http.MethodGet, "/recall/trees.csv?kind=order&key="+run.order)
	rows, err := csv.NewReader(strings.NewReader(file)).ReadAll()
	if err != nil || len(rows) < len(run.b.Tags)+1 {
		return fmt.Errorf("recall: %d rows, %w", len(rows), err)
	}
	column := func(row []string, name string) int {
		n, _ := strconv.Atoi(row[slices.Index(rows[0], name)])
		return n
	}
	dead := 0
	for _, r := range rows[1:] {
		if t := run.b.Tags[r[0]]; t != nil {
			dead += column(r, "dead")
			if column(r, "stand") != run.b.Standing(r[0]) {
				return fmt.Errorf("recall of %s: %d stand, books %d", r[0], column(r, "stand"), run.b.Standing(r[0]))
			}
		}
	}
	if dead != x.Lost {
		return fmt.Errorf("recall: %d dead, books %d", dead, x.Lost)
	}
	return run.compareCauses(causes, x)
}

// compareCauses reads the files of counts and of trees, and adds up what was lost of which cause.
func (run *bookRun) compareCauses(got map[string]int, x books.Balance) error {
	for _, kind := range []string{"counts", "trees"} {
		run.screens++
		_, _, file := run.h.ask(run.t, run.c, http.MethodGet, "/export/"+kind+".csv")
		rows, err := csv.NewReader(strings.NewReader(file)).ReadAll()
		if err != nil {
			return err
		}
		col := func(r []string, name string) string { return r[slices.Index(rows[0], name)] }
		for _, r := range rows[1:] {
			if run.b.Tags[col(r, "tag")] == nil {
				continue
			}
			switch {
			case kind == "counts" && col(r, "stands") != "no" && col(r, "stands") != "false":
				dead, _ := strconv.Atoi(col(r, "dead"))
				for _, p := range strings.Split(col(r, "causes"), "; ") {
					if cause, n, ok := strings.Cut(p, ": "); ok {
						k, _ := strconv.Atoi(n)
						got[cause], dead = got[cause]+k, dead-k
					}
				}
				got[""] += dead
			case kind == "trees" && col(r, "what") == "lost" && col(r, "undone_at") == "":
				n, _ := strconv.Atoi(col(r, "n"))
				got[col(r, "cause")] += n
			}
		}
	}
	for cause, n := range x.Causes {
		if got[cause] != n {
			return fmt.Errorf("cause %q: %d in the files, books %d (%v, %v)", cause, got[cause], n, got, x.Causes)
		}
	}
	return nil
}

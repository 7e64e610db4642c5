package web_test

import (
	"fmt"
	"html"
	"net/http"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
)

// TestListsAreSifted: every lot and bundle that bears the words, page by page, none twice and
// none left out, with the sum of what is free; signs of patterns are signs.
func TestListsAreSifted(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	maud := h.as(t, "maud")
	// More than a page of lots of one supplier.
	_, err := h.db.Exec(`insert into stock_lot (code, stock_type_id, supplier, received_on, form, place, received, made_at)
		select 'Z-' || i, (select min(id) from stock_type), '50% Off_Farm', '2027-01-05', 'bare-root', 'shed', 10, now() from
		generate_series(1, 95) i`)
	require.NoError(t, err)
	link := regexp.MustCompile(`href="/stock/lots/([A-Z0-9.-]+)"><b>`)
	more := regexp.MustCompile(`href="(/stock\?[^"]*after=[^"]*)"`)
	walk := func(path string) map[string]int {
		seen := map[string]int{}
		for range 10 {
			status, _, body := h.ask(t, maud, http.MethodGet, path)
			require.Equal(t, http.StatusOK, status)
			for _, m := range link.FindAllStringSubmatch(body, -1) {
				seen[m[1]]++
			}
			next := more.FindStringSubmatch(body)
			if next == nil {
				return seen
			}
			path = html.UnescapeString(next[1])
		}
		t.Fatal("the pages do not end")
		return nil
	}
	for find, want := range map[string]string{
		"50%25+off_farm":  `select count(*)::text from stock_lot where supplier = '50% Off_Farm'`,
		"tarn+q3":         `select count(*)::text from stock_lot l join stock_type t on t.id = l.stock_type_id where t.name = 'Tarn Q3'`,
		"z-9":             `select count(*)::text from stock_lot where code like 'Z-9%'`,
		"off_farm+z-+bar": `select count(*)::text from stock_lot where code like 'Z-%'`,
		"%25":             `select count(*)::text from stock_lot where supplier like '%\%%'`,
		"nothing+is+that": `select '0'`,
	} {
		seen := walk("/stock?find=" + find)
		assert.Equal(t, h.one(t, want), fmt.Sprint(len(seen)), "%s: %v", find, seen)
		for code, n := range seen {
			assert.Equal(t, 1, n, code)
		}
	}
	assert.Len(t, walk("/stock?left=yes"), len(walk("/stock"))-len(walk("/stock?find=off_farm"))-
		atoi(
			t,
			h.one(t, `select count(*)::text from stock_lot l where supplier <> '50% Off_Farm' and not exists (select 1 from stock_balance b
			where b.lot_id = l.id and b.account = 'free' and b.n > 0)`),
		))
	_, _, body := h.ask(t, maud, http.MethodGet, "/stock?find=tarn+q3")
	assert.Contains(t, body, h.one(t, `select count(*) || ' lots found, ' || to_char(sum(b.n), 'FM9,999') || ' stems free' from stock_lot l
		join stock_type t on t.id = l.stock_type_id left join stock_balance b on b.lot_id = l.id and b.account = 'free' where t.name =
		'Tarn Q3'`))

	_, _, body = h.ask(t, maud, http.MethodGet, "/wood?find=lantern&left=yes")
	assert.Contains(
		t,
		body,
		h.one(t, `select count(*) || ' bundles found, ' || to_char(sum(w.n), 'FM9,999') || ' pieces free' from wood_bundle b
		join mother_plant m on m.id = b.plant_id join variety v on v.id = m.variety_id join wood_balance w on w.bundle_id = b.id
		and w.account = 'free' and w.n > 0 where v.name = 'Lanternjaw'`),
	)
	assert.NotContains(t, body, "Copperpot</td>")
}

func atoi(t *testing.T, s string) int {
	t.Helper()
	n, err := strconv.Atoi(s)
	require.NoError(t, err)
	return n
}

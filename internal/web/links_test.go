package web_test

import (
	"cmp"
	"maps"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"golang.org/x/net/html"

	"unionknot/internal/nursery"
	"unionknot/internal/testhouse"
	"unionknot/internal/web/page"
)

// document is what a page's links and labels can reach.
type document struct {
	ids   map[string]string // the element that has an id
	twice []string          // ids that several have
	refs  []string          // ids that labels and descriptions name
	links []string          // to the house's own pages
	posts []string          // where forms that have a button are sent
}

func read(body string) (d document) {
	d.ids = map[string]string{}
	root, err := html.Parse(strings.NewReader(body))
	if err != nil {
		return d
	}
	for n := range root.Descendants() {
		at := map[string]string{}
		for _, a := range n.Attr {
			at[a.Key] = a.Val
		}
		if n.Data == "form" && strings.EqualFold(at["method"], "post") && pressed(n) {
			d.posts = append(d.posts, at["action"])
		}
		if at["hx-post"] != "" {
			d.posts = append(d.posts, at["hx-post"])
		}
		for _, a := range n.Attr {
			switch {
			case a.Key == "id":
				if _, was := d.ids[a.Val]; was {
					d.twice = append(d.twice, a.Val)
				}
				d.ids[a.Val] = n.Data
			case slices.Contains([]string{"for", "aria-labelledby", "aria-describedby", "aria-controls", "form", "list"}, a.Key):
				d.refs = append(d.refs, strings.Fields(a.Val)...)
			case (a.Key == "href" && n.Data == "a" || a.Key == "hx-get") && strings.HasPrefix(a.Val, "/") && a.Val != "/sign-out":
				d.links = append(d.links, a.Val)
			}
		}
	}
	return d
}

var named = regexp.MustCompile(`^(/[^/]+)/(?:[A-Z\d][^/]*|([^/]+)/[^/]+)`)

// kindOf is a link without what it is about: /bench/tags/A1-BCDE?from=2 as /bench/tags/X?from.
func kindOf(link string) string {
	path, query, _ := strings.Cut(link, "?")
	signs := strings.Count(strings.ReplaceAll(path, "%20", ""), "%") // names with signs that need care
	asked, err := url.ParseQuery(query)
	if err != nil {
		return link
	}
	return named.ReplaceAllString(path, "$1/$2/X") + "?" + strings.Join(slices.Sorted(maps.Keys(asked)), "&") +
		strings.Repeat("%", min(signs, 1))
}

// pressed says whether a form has a button that sends it.
func pressed(form *html.Node) bool {
	for n := range form.Descendants() {
		if n.Data == "button" && !slices.Contains(n.Attr, html.Attribute{Key: "type", Val: "button"}) {
			return true
		}
	}
	return false
}

// posting finds who may send what a form sends; false: nothing takes it.
func (h *house) posting(action string) (who []nursery.Role, ok bool) {
	path, _, _ := strings.Cut(action, "?")
	for _, r := range h.site.Routes() {
		like := "^" + regexp.MustCompile(`\\\{[^/]+\\\}`).ReplaceAllString(regexp.QuoteMeta(r.Path), `[^/]+`) + "$"
		if r.Method == http.MethodPost && regexp.MustCompile(like).MatchString(path) {
			return r.Who, true
		}
	}
	return nil, false
}

// TestEveryLinkLeadsSomewhere goes from page to page as somebody who clicks on all there is, on each
// kind of link twice: no link is dead, none names a place on its page that is not there, no id is
// given twice, each label, hint and list belongs to something, and no form is shown to somebody who
// may not send it.
func TestEveryLinkLeadsSomewhere(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	roles := map[string]nursery.Role{"maud": nursery.Propagator, "ansel": nursery.BenchHand, "vera": nursery.Looker}
	for who, least := range map[string]int{"maud": 200, "ansel": 60, "vera": 30} {
		t.Run(who, func(t *testing.T) {
			c := h.as(t, who)
			pages, kinds, from := map[string]document{}, map[string]int{}, map[string]string{}
			todo := []string{"/", "/find?q=lan", "/find?q=l-2"}
			if who == "maud" {
				for _, p := range h.screens(t) {
					todo = append(todo, p)
				}
				slices.Sort(todo)
			}
			for len(todo) > 0 {
				link := todo[0]
				todo = todo[1:]
				path, at, _ := strings.Cut(link, "#")
				if path == "/nowhere" {
					continue
				}
				d, seen := pages[path]
				if !seen {
					kind := kindOf(path)
					if kinds[kind]++; kinds[kind] > 2 {
						continue
					}
					status, leads, body := h.ask(t, c, http.MethodGet, path)
					if status == http.StatusSeeOther {
						from[leads] = path
						todo = append(todo, leads)
						continue
					}
					if !assert.Equal(t, http.StatusOK, status, "%s, linked from %s", link, from[link]) {
						continue
					}
					if strings.Contains(body, "</html>") {
						d = read(body)
					}
					pages[path] = d
					assert.Empty(t, d.twice, "ids on %s", path)
					for _, r := range d.refs {
						assert.Contains(t, d.ids, r, "named on %s", path)
					}
					for _, action := range d.posts {
						can, ok := h.posting(cmp.Or(action, path))
						assert.True(t, ok, "nothing takes %s of %s", action, path)
						assert.True(t, len(can) == 0 || page.Allowed(roles[who], can), "%s of %s is not %s's", action, path, who)
					}
					for _, l := range d.links {
						if _, err := url.Parse(l); assert.NoError(t, err, "on %s", path) && from[l] == "" {
							from[l] = path
							todo = append(todo, l)
						}
					}
				}
				// The walk begins at the bed that is named, by its script.
				if at != "" && d.ids != nil && path != "/grow/walk" {
					at, _ = url.PathUnescape(at)
					assert.Contains(t, d.ids, at, "%s, linked from %s", link, from[link])
				}
			}
			assert.Greater(t, len(pages), least)
			t.Log(who, len(pages), "pages")
		})
	}
}

// TestAPartOfALotAsksForItsCode: what is wrong with the code of stems that go stands at its own
// field alone, though stocks that come back have a new code on the same page.
func TestAPartOfALotAsksForItsCode(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	c := h.as(t, "maud")
	lot := h.one(t, `select l.code from stock_lot l join stock_balance b on b.lot_id = l.id and b.account = 'free' where b.n > 20 and
		l.form = 'bare-root' order by l.id limit 1`)
	status, _, body := h.sendForm(t, c, "/stock/lots/"+lot+"/form", "doing", "potted", "to_place", "tunnel 2", "moved", "3",
		"moved_code", "")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, `id="p-moved_code"`)
	assert.NotContains(t, body, `id="p-new_code"`)
	status, leads, _ := h.sendForm(t, c, "/stock/lots/"+lot+"/form", "doing", "potted", "to_place", "tunnel 2", "moved", "3", "moved_code",
		"L-999")
	assert.Equal(t, http.StatusSeeOther, status, leads)
	assert.Equal(t, "tunnel 2", h.one(t, `select place from stock_lot where code = 'L-999'`))
}

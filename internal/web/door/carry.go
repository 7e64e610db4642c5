package door

import (
	"net/http"
	"net/url"
	"slices"
	"strings"

	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

// carried is a form that was sent when its session had ended: it waits until whoever sent
// it is known again, and is then sent by one press.
type carried struct {
	To   string // its address
	Sent string // what was typed, as it came
}

// mostCarried bounds what is carried through the door: it travels twice.
const mostCarried = 300 << 10

// withSecrets are addresses whose forms hold passwords: these are typed anew.
var withSecrets = []string{"/me", "/first", "/reset", "/sign-in", "/names", "/tablet", "/house/people"}

// carry reads a form that was sent without a session; nil: there is none that can be carried.
func carry(r *http.Request) *carried {
	if r.Method != http.MethodPost || page.IsPart(r) || page.WantsJSON(r) ||
		!strings.HasPrefix(r.Header.Get("Content-Type"), "application/x-www-form-urlencoded") || !page.Local(r.URL.Path) ||
		slices.ContainsFunc(withSecrets, func(p string) bool { return r.URL.Path == p || strings.HasPrefix(r.URL.Path, p+"/") }) {
		return nil
	}
	f, err := page.ReadForm(r)
	if err != nil {
		return nil
	}
	c := &carried{r.URL.RequestURI(), f.Values.Encode()}
	if len(c.Sent) > mostCarried {
		return nil
	}
	return c
}

// askIn asks whoever sent a form without a session to sign in, and keeps the form meanwhile.
// False: there is nothing to keep.
func (d door) askIn(w http.ResponseWriter, r *http.Request) (bool, error) {
	c := carry(r)
	if c == nil {
		return false, nil
	}
	return true, d.showSignIn(w, r, page.NewForm("to", c.To, "sent", c.Sent), http.StatusUnauthorized)
}

func (d door) showSignIn(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	return d.ShowStatus(w, r, d.views["signin"], page.Frame{Title: "Sign in", Bare: true, Form: f}, status)
}

// sendPage is a carried form, ready to be sent.
type sendPage struct {
	To     string
	Fields []sentField
}

type sentField struct {
	Name, Value string
	Shown       bool // people typed it
}

// again shows a carried form to whoever is known now.
func (d door) again(w http.ResponseWriter, r *http.Request, to, sent string) (bool, error) {
	values, err := url.ParseQuery(sent)
	if err != nil || !page.Local(to) || sent == "" {
		return false, nil
	}
	p := sendPage{To: to}
	for name, vs := range values {
		for _, v := range vs {
			p.Fields = append(p.Fields, sentField{name, v, v != "" && words.IsTyped(name)})
		}
	}
	slices.SortStableFunc(p.Fields, func(a, b sentField) int { return strings.Compare(a.Name, b.Name) })
	return true, d.Show(w, r, d.views["again"], page.Frame{Title: "What you sent", Data: p})
}

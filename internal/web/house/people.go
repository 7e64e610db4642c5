package house

import (
	"net/http"
	"slices"
	"strconv"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/nursery"
	"unionknot/internal/nursery/access"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

// personPage is somebody as a propagator sees them: name and role, where they are
// signed in, and what helps them in again.
type personPage struct {
	Person   nursery.Person
	Roles    []string
	Sessions []nursery.Session
	Erased   bool
	Shut     bool   // the door is shut for them for a while
	Code     string // that was made just now, in words
}

func (h house) person(w http.ResponseWriter, r *http.Request) error {
	return h.showPerson(w, r, page.NewForm(), "", http.StatusOK)
}

func personID(r *http.Request) (int64, error) {
	id, err := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
	if err != nil {
		return 0, nursery.ErrNotFound
	}
	return id, nil
}

func (h house) showPerson(w http.ResponseWriter, r *http.Request, f page.Form, code string, status int) error {
	id, err := personID(r)
	if err != nil {
		return err
	}
	ps, err := h.Nursery.People(r.Context(), page.Actor(r))
	if err != nil {
		return err
	}
	i := slices.IndexFunc(ps, func(p nursery.Person) bool { return p.ID == id })
	if i < 0 {
		return nursery.ErrNotFound
	}
	ss, shut, err := h.Nursery.Devices(r.Context(), page.Actor(r))
	if err != nil {
		return err
	}
	ss = slices.DeleteFunc(ss, func(s nursery.Session) bool {
		return !(s.PersonID != nil && *s.PersonID == id || s.TabletBy != nil && *s.TabletBy == id)
	})
	p := personPage{Person: ps[i], Roles: roles, Sessions: ss, Shut: shut[id], Code: code, Erased: access.IsErased(ps[i])}
	if len(f.Values) == 0 {
		f.Values.Set("name", p.Person.Name)
		f.Values.Set("role", p.Person.Role)
	}
	return h.ShowStatus(w, r, h.views["person"], page.Frame{Title: p.Person.Name, Stage: "House", Data: p, Form: f}, status)
}

// personData gives all that is held of somebody, as a file.
func (h house) personData(w http.ResponseWriter, r *http.Request) error {
	id, err := personID(r)
	if err != nil {
		return err
	}
	return h.Nursery.PersonData(r.Context(), page.Actor(r), id,
		&page.Attached{To: w, Kind: "application/json", Name: "person-" + strconv.FormatInt(id, 10) + ".json"})
}

var roles = []string{string(nursery.BenchHand), string(nursery.Propagator), string(nursery.Looker)}

// changePerson does what is asked for somebody: a code, unlocking, another name or role,
// the end of a session.
func (h house) changePerson(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	id, err := personID(r)
	if err != nil {
		return err
	}
	ctx, a := r.Context(), page.Actor(r)
	switch f.Text("do") {
	case "erase":
		if err = h.Nursery.Erase(ctx, a, id, f.Text("erase")); err == nil {
			h.ForgetSessions()
		}
	case "code":
		code, until, err := h.Nursery.ResetCode(ctx, a, id)
		if form, ok := f.WithProblems(err); ok {
			return h.showPerson(w, r, form, "", http.StatusUnprocessableEntity)
		} else if err != nil {
			return err
		}
		return h.showPerson(w, r, page.NewForm(), words.CodeFor("this person", code, until), http.StatusOK)
	case "unlock":
		err = h.Nursery.Unlock(ctx, a, id)
	case "end":
		if err = h.Nursery.EndSession(ctx, a, f.Text("session")); err == nil {
			h.ForgetSessions()
		}
	default:
		if err = h.Nursery.ChangePerson(ctx, a, id, f.Text("name"), f.Text("role")); err == nil {
			h.ForgetSessions()
		}
	}
	if form, ok := f.WithProblems(err); ok {
		return h.showPerson(w, r, form, "", http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	h.Flash(r, "%s", words.PersonKept)
	return page.Go(w, r, "/house/people/"+strconv.FormatInt(id, 10))
}

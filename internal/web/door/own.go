package door

import (
	"errors"
	"net/http"
	"time"

	"unionknot/internal/nursery"
	"unionknot/internal/nursery/access"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

type ownPage struct {
	access.OwnPage
	Here string // the token's hash of this session
}

// ownData gives all that the house holds of whoever asks, as a file.
func (d door) ownData(w http.ResponseWriter, r *http.Request) error {
	return d.Nursery.PersonData(r.Context(), page.Actor(r), page.Actor(r).ID,
		&page.Attached{To: w, Kind: "application/json", Name: "mine.json"})
}

func (d door) here(r *http.Request) string { return d.Token(d.Sessions.Token(r.Context())) }

// me shows somebody their own password, PIN and devices.
func (d door) me(w http.ResponseWriter, r *http.Request) error {
	return d.showMe(w, r, page.NewForm(), http.StatusOK)
}

func (d door) showMe(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	p, err := d.Nursery.Own(r.Context(), page.Actor(r))
	if err != nil {
		return err
	}
	return d.ShowStatus(w, r, d.views["me"], page.Frame{Title: "You", Data: ownPage{p, d.here(r)}, Form: f}, status)
}

// changeOwn sets a new password or PIN; the old one is asked.
func (d door) changeOwn(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	err = d.Nursery.ChangeOwn(r.Context(), page.Actor(r), f.Values.Get("old"),
		access.NewSecrets{Password: f.Values.Get("password"), PIN: f.Text("pin")}, d.here(r), page.Address(r))
	var wait access.WaitError
	if errors.As(err, &wait) {
		err = nursery.Problem{Says: words.Wait(wait.Until, time.Now())}
	}
	if form, ok := f.WithProblems(err); ok {
		return d.showMe(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	d.ForgetSessions()
	d.Flash(r, "%s", words.OwnSecretKept)
	return page.Go(w, r, "/me")
}

// endSession ends one of one's sessions, or all others.
func (d door) endSession(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	if token := f.Text("session"); token != "" {
		err = d.Nursery.EndSession(r.Context(), page.Actor(r), token)
	} else {
		err = d.Nursery.EndOwn(r.Context(), page.Actor(r), d.here(r))
	}
	if err != nil {
		return err
	}
	d.ForgetSessions()
	d.Flash(r, "%s", words.SessionsEnded)
	return page.Go(w, r, page.Back(r, "/me"))
}

type resetPage struct {
	Code   string
	Person nursery.Person // whose code it is; nobody before it was given
}

// reset asks for a code, and then for a new password or PIN.
func (d door) reset(w http.ResponseWriter, r *http.Request) error {
	return d.showReset(w, r, r.URL.Query().Get("code"), page.NewForm(), http.StatusOK)
}

func (d door) showReset(w http.ResponseWriter, r *http.Request, code string, f page.Form, status int) error {
	p := resetPage{Code: code}
	if code != "" {
		who, err := d.Nursery.CodeOf(r.Context(), code)
		if errors.Is(err, nursery.ErrNotFound) {
			f.Whole, status = words.CodeOver, http.StatusUnprocessableEntity
		} else if err != nil {
			return err
		}
		p.Person = who
	}
	w.Header().Set("Referrer-Policy", "no-referrer")
	return d.ShowStatus(w, r, d.views["reset"], page.Frame{Title: "A new password", Bare: true, Data: p, Form: f}, status)
}

// useCode sets a new password or PIN with a code.
func (d door) useCode(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	code := f.Text("code")
	_, err = d.Nursery.UseCode(r.Context(), code, access.NewSecrets{Password: f.Values.Get("password"), PIN: f.Text("pin")})
	if errors.Is(err, nursery.ErrNotFound) {
		err = nursery.Problem{Says: words.CodeOver}
	}
	if form, ok := f.WithProblems(err); ok {
		return d.showReset(w, r, code, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	d.ForgetSessions()
	return page.Go(w, r, "/sign-in")
}

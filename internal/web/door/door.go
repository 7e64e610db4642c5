// Package door lets people in: the first account of an empty house, signing
// in at the desk, and names and PINs at a bench tablet.
package door

import (
	"embed"
	"errors"
	"net/http"
	"strconv"
	"time"

	"unionknot/internal/nursery"
	"unionknot/internal/nursery/access"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

//go:embed templates/*.html
var files embed.FS

type door struct {
	*page.Kit
	views map[string]page.View
}

// Routes are the door's addresses.
func Routes(k *page.Kit) []page.Route {
	d := door{k, page.Views(files)}
	k.AskIn = d.askIn
	return []page.Route{
		{Method: "GET", Path: "/", Who: page.Anybody, Do: d.start},
		{Method: "GET", Path: "/first", Who: page.Anybody, Do: d.first},
		{Method: "POST", Path: "/first", Who: page.Anybody, Do: d.makeFirst},
		{Method: "GET", Path: "/sign-in", Who: page.Anybody, Do: d.signIn},
		{Method: "POST", Path: "/sign-in", Who: page.Anybody, Do: d.checkSignIn},
		{Method: "POST", Path: "/sign-out", Who: page.Anybody, Do: d.signOut},
		{Method: "POST", Path: "/tablet", Who: page.Boss, Do: d.openTablet},
		{Method: "GET", Path: "/names", Who: page.Anybody, Do: d.names},
		{Method: "POST", Path: "/names", Who: page.Anybody, Do: d.checkPIN},
		{Method: "GET", Path: "/me", Who: page.Everyone, Do: d.me},
		{Method: "POST", Path: "/me", Who: page.Everyone, Do: d.changeOwn},
		{Method: "GET", Path: "/me/data.json", Who: page.Everyone, Do: d.ownData},
		{Method: "POST", Path: "/me/sign-out", Who: page.Everyone, Do: d.endSession},
		{Method: "GET", Path: "/reset", Who: page.Anybody, Do: d.reset},
		{Method: "POST", Path: "/reset", Who: page.Anybody, Do: d.useCode},
		{Method: "POST", Path: "/tongue", Who: page.Everyone, Do: d.tongue},
		{Method: "POST", Path: "/keys", Who: page.Everyone, Do: d.keys},
		{Method: "POST", Path: "/season-group", Who: page.Everyone, Do: d.seasonGroup},
	}
}

func (d door) start(w http.ResponseWriter, r *http.Request) error {
	if _, in := page.ActorOf(r.Context()); in {
		return page.Go(w, r, "/today")
	}
	if d.Sessions.GetInt64(r.Context(), "tablet_by") != 0 {
		return page.Go(w, r, "/names")
	}
	empty, err := d.Nursery.Empty(r.Context())
	if err != nil {
		return err
	}
	if empty {
		return page.Go(w, r, "/first")
	}
	return page.Go(w, r, "/sign-in")
}

func (d door) first(w http.ResponseWriter, r *http.Request) error {
	empty, err := d.Nursery.Empty(r.Context())
	if err != nil {
		return err
	}
	if !empty {
		return page.Go(w, r, "/sign-in")
	}
	return d.Show(w, r, d.views["first"], page.Frame{Title: "Open the house", Bare: true, Form: page.NewForm()})
}

func (d door) makeFirst(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	a, err := d.Nursery.FirstPropagator(
		r.Context(),
		f.Text("code"),
		f.Text("house"),
		f.Text("name"),
		f.Text("sign_in"),
		f.Values.Get("password"),
	)
	if form, ok := f.WithProblems(err); ok {
		return d.ShowStatus(
			w,
			r,
			d.views["first"],
			page.Frame{Title: "Open the house", Bare: true, Form: form},
			http.StatusUnprocessableEntity,
		)
	} else if err != nil {
		return err
	}
	if err := d.letIn(r, a); err != nil {
		return err
	}
	d.Flash(r, "The house is open. Take people on under House, or begin with stock.")
	return page.Go(w, r, "/today")
}

func (d door) letIn(r *http.Request, a nursery.Actor) error {
	if err := d.Sessions.RenewToken(r.Context()); err != nil {
		return err
	}
	d.Sessions.Put(r.Context(), "person", a.ID)
	d.Sessions.Remove(r.Context(), "by_pin")
	return nil
}

func (d door) signIn(w http.ResponseWriter, r *http.Request) error {
	empty, err := d.Nursery.Empty(r.Context())
	if err != nil {
		return err
	}
	if empty {
		return page.Go(w, r, "/first")
	}
	return d.showSignIn(w, r, page.NewForm("next", r.URL.Query().Get("next")), http.StatusOK)
}

// refused puts a wrong or waiting sign-in back on its page.
func (d door) refused(w http.ResponseWriter, r *http.Request, v page.View, f page.Frame, err error) error {
	var wait access.WaitError
	if errors.As(err, &wait) {
		f.Form.Whole = words.Wait(wait.Until, time.Now())
		w.Header().Set("Retry-After", strconv.Itoa(int(time.Until(wait.Until).Seconds())+1))
		return d.ShowStatus(w, r, v, f, http.StatusTooManyRequests)
	}
	form, ok := f.Form.WithProblems(err)
	if !ok {
		return err
	}
	f.Form = form
	return d.ShowStatus(w, r, v, f, http.StatusUnprocessableEntity)
}

func (d door) checkSignIn(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	a, err := d.Nursery.SignIn(r.Context(), f.Text("sign_in"), f.Values.Get("password"), page.Address(r))
	if err != nil {
		return d.refused(w, r, d.views["signin"], page.Frame{Title: "Sign in", Bare: true, Form: f.Form}, err)
	}
	if err := d.letIn(r, a); err != nil {
		return err
	}
	if f.Text("sent") != "" {
		shown, err := d.again(w, r.WithContext(page.WithActor(r.Context(), a)), f.Values.Get("to"), f.Values.Get("sent"))
		if shown || err != nil {
			return err
		}
	}
	next := f.Text("next")
	if !page.Local(next) {
		next = "/today"
	}
	return page.Go(w, r, next)
}

func (d door) signOut(w http.ResponseWriter, r *http.Request) error {
	ctx := r.Context()
	if d.Sessions.GetInt64(ctx, "tablet_by") != 0 && d.Sessions.GetInt64(ctx, "person") != 0 {
		d.Sessions.Remove(ctx, "by_pin")
		d.Sessions.Remove(ctx, "person") // the tablet stays open for the next name
		if err := d.Sessions.RenewToken(ctx); err != nil {
			return err
		}
		return page.Go(w, r, "/names")
	}
	if err := d.Sessions.Destroy(ctx); err != nil {
		return err
	}
	return page.Go(w, r, "/sign-in")
}

// openTablet makes this device a bench tablet: the propagator is signed out
// of it, and workers pick their names.
func (d door) openTablet(w http.ResponseWriter, r *http.Request) error {
	a := page.Actor(r)
	if err := d.Nursery.NoteTablet(r.Context(), a); err != nil {
		return err
	}
	if err := d.Sessions.RenewToken(r.Context()); err != nil {
		return err
	}
	d.Sessions.Remove(r.Context(), "by_pin")
	d.Sessions.Remove(r.Context(), "person")
	d.Sessions.Put(r.Context(), "tablet_by", a.ID)
	return page.Go(w, r, "/names")
}

type namesPage struct {
	People []nursery.Person
	Picked nursery.Person
}

func (d door) namesFrame(r *http.Request, id string, f page.Form) (page.Frame, error) {
	ps, err := d.Nursery.BenchNames(r.Context())
	n := namesPage{People: ps}
	for _, p := range ps {
		if page.ID(p.ID) == id {
			n.Picked = p
		}
	}
	return page.Frame{Title: "Whose hands", Bare: true, Data: n, Form: f}, err
}

func (d door) names(w http.ResponseWriter, r *http.Request) error {
	if d.Sessions.GetInt64(r.Context(), "tablet_by") == 0 {
		return page.Go(w, r, "/sign-in")
	}
	f, err := d.namesFrame(r, r.URL.Query().Get("person"), page.NewForm())
	if err != nil {
		return err
	}
	return d.Show(w, r, d.views["names"], f)
}

func (d door) checkPIN(w http.ResponseWriter, r *http.Request) error {
	if d.Sessions.GetInt64(r.Context(), "tablet_by") == 0 {
		return page.Go(w, r, "/sign-in")
	}
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	a, err := d.Nursery.SignInByPIN(r.Context(), int64(f.Int("person")), f.Text("pin"), page.Address(r))
	if err != nil {
		frame, ferr := d.namesFrame(r, f.Text("person"), f.Form)
		if ferr != nil {
			return ferr
		}
		return d.refused(w, r, d.views["names"], frame, err)
	}
	if err := d.letIn(r, a); err != nil {
		return err
	}
	d.Sessions.Put(r.Context(), "by_pin", int64(1))
	return page.Go(w, r, "/bench")
}

// keys turns single keys off for the person who asks, or on again.
func (d door) keys(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	off := f.Text("off") == "yes"
	if err := d.Nursery.SetKeys(r.Context(), page.Actor(r), off); err != nil {
		return err
	}
	d.Flash(r, "%s", map[bool]string{true: "Single keys are off for you, on every device.", false: "Single keys work again."}[off])
	return page.Go(w, r, page.Back(r, "/today"))
}

// tongue says in which tongue the person who asks reads their own page.
func (d door) tongue(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	if err := d.Nursery.SetTongue(r.Context(), page.Actor(r), f.Text("tongue")); err != nil {
		return err
	}
	return page.Go(w, r, page.Back(r, "/results/worker/"+strconv.FormatInt(page.Actor(r).ID, 10)))
}

func (d door) seasonGroup(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	d.Sessions.Put(r.Context(), "group", f.Text("group"))
	return page.Go(w, r, page.Back(r, "/today"))
}

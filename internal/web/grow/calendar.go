package grow

import (
	"net/http"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"
	"github.com/go-chi/chi/v5"

	"unionknot/internal/nursery/growon"
	"unionknot/internal/web/page"
)

// newFeed makes a calendar's secret address anew, and shows it once.
func (g grow) newFeed(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	secret, err := g.Nursery.NewFeed(r.Context(), page.Actor(r), f.Text("of") == "house")
	if err != nil {
		return err
	}
	scheme := "http"
	if r.TLS != nil || r.Header.Get("X-Forwarded-Proto") == "https" {
		scheme = "https"
	}
	return g.showList(w, r, page.NewForm("every", "7"), http.StatusOK, scheme+"://"+r.Host+"/calendar/"+secret+".ics")
}

// calendar serves a feed. Whoever has its address reads it, and changes nothing.
func (g grow) calendar(w http.ResponseWriter, r *http.Request) error {
	p, err := g.Nursery.Feed(r.Context(), strings.TrimSuffix(chi.URLParam(r, "secret"), ".ics"))
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "text/calendar; charset=utf-8")
	w.Header().Set("Cache-Control", "private, no-cache")
	return calendarOf(p).SerializeTo(w)
}

// calendarOf lays a feed out as iCalendar: days without a clock, the last one not
// included, as the format has it.
func calendarOf(p growon.FeedPage) *ics.Calendar {
	c := ics.NewCalendar()
	c.SetProductId("-//Union Knot//Grow on//EN")
	c.SetMethod(ics.MethodPublish)
	name := p.House
	if p.Person != "" {
		name += ", " + p.Person
	}
	c.SetName(name)
	c.SetXWRCalName(name)
	c.SetRefreshInterval("PT6H")
	for _, e := range p.Entries {
		x := c.AddEvent(e.UID)
		x.SetDtStampTime(p.At.UTC().Truncate(time.Second))
		x.SetAllDayStartAt(e.From)
		x.SetAllDayEndAt(e.To.AddDate(0, 0, 1))
		x.SetSummary(e.Title)
		if e.Says != "" {
			x.SetDescription(e.Says)
		}
		x.SetSequence(p.Seq[e.UID])
		x.SetTimeTransparency(ics.TransparencyTransparent)
	}
	return c
}

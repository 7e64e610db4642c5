package house

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"os"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/standin"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

type devicesPage struct {
	Stores  []string
	Printed []nursery.LabelPrint
	Just    int64
	Lot     string // a lot to try the caliper on
	Code    string // a code for the scanner to read
}

func (h house) devices(w http.ResponseWriter, r *http.Request) error {
	return h.showDevices(w, r, page.NewForm(), http.StatusOK)
}

func (h house) showDevices(w http.ResponseWriter, r *http.Request, f page.Form, status int) error {
	p := devicesPage{Just: page.QueryInt(r, "print")}
	var err error
	if p.Stores, err = h.Nursery.ColdNames(r.Context()); err != nil {
		return err
	}
	if p.Printed, err = h.Nursery.Printed(r.Context()); err != nil {
		return err
	}
	lots, err := h.Nursery.Lots(r.Context(), nursery.Sieve{}, 0)
	if err != nil {
		return err
	}
	for _, l := range lots {
		if p.Code == "" {
			p.Code = l.Lot.Code
		}
		if l.Lot.Free > 0 && p.Lot == "" {
			p.Lot = l.Lot.Code
		}
	}
	return h.ShowStatus(w, r, h.views["devices"], page.Frame{Title: "Devices", Stage: "House", Data: p, Form: f}, status)
}

// logger lets the simulated logger say what it read since its last reading.
func (h house) logger(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	hours := f.Int("hours")
	if err = f.Err(); err == nil && (hours < 1 || hours > 24*120) {
		err = nursery.Problem{Field: "hours", Says: "Let it tell of 1 to 2,880 hours."}
	}
	n := 0
	if err == nil {
		now := h.Nursery.Now()
		l := standin.StoreLogger{SetC: 1.2, Every: 10 * time.Minute}
		switch f.Text("how") {
		case "warm":
			l.Trouble = []standin.Trouble{{From: now.Add(-time.Duration(hours) * time.Hour), To: now.Add(24 * time.Hour), ByC: 8}}
		case "frost":
			l.Trouble = []standin.Trouble{{From: now.Add(-time.Duration(hours) * time.Hour), To: now.Add(24 * time.Hour), ByC: -6}}
		}
		n, err = h.Nursery.Simulate(r.Context(), page.Actor(r), f.Text("store"), l.Readings(now.Add(-time.Duration(hours)*time.Hour), now))
	}
	if form, ok := f.WithProblems(err); ok {
		return h.showDevices(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	h.Flash(r, "The simulated logger sent %d new readings for %s.", n, f.Text("store"))
	return page.Go(w, r, "/wood/store")
}

// feed lets the simulated weather feed tell the days up to today.
func (h house) feed(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	days := f.Int("days")
	if err = f.Err(); err == nil && (days < 1 || days > 1100) {
		err = nursery.Problem{Field: "days", Says: "Let it tell of 1 to 1,100 days."}
	}
	n := 0
	if err == nil {
		normals, e := h.Nursery.UsualTemperatures(r.Context())
		if e != nil {
			return e
		}
		today := h.Nursery.Today()
		feed := standin.WeatherFeed{Normals: normals}
		if by, ok := map[string]float64{"warm": 3, "cold": -3}[f.Text("how")]; ok {
			feed.Seasons = []standin.Trouble{{From: today.AddDate(0, 0, -days), To: today.AddDate(0, 0, 1), ByC: by}}
		}
		n, err = h.Nursery.AddWeather(r.Context(), page.Actor(r), feed.Days(today.AddDate(0, 0, -days), today), "simulated feed")
	}
	if form, ok := f.WithProblems(err); ok {
		return h.showDevices(w, r, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	h.Flash(r, "The simulated weather feed sent %d days that were not here.", n)
	return page.Go(w, r, "/season")
}

func (h house) printed(w http.ResponseWriter, r *http.Request) error {
	id, err := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
	if err != nil {
		return nursery.ErrNotFound
	}
	p, err := h.Nursery.PrintedPDF(r.Context(), id)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "application/pdf")
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=labels-%d.pdf", id))
	_, err = w.Write(p.PDF)
	return err
}

// export writes a list as a file.
func (h house) export(w http.ResponseWriter, r *http.Request) error {
	kind, format := chi.URLParam(r, "kind"), exchange.Format(chi.URLParam(r, "format"))
	if format != exchange.CSV && format != exchange.XLSX {
		return nursery.ErrNotFound
	}
	if r.URL.Query().Get("whole") == "no" {
		return h.exportBrowsed(w, r, kind, format)
	}
	if _, ok := nursery.KindOf(kind); !ok {
		return h.history(w, r, kind, format)
	}
	// Whole before any of it goes out: half a list must not look like a list.
	var b bytes.Buffer
	if err := h.Nursery.Export(r.Context(), page.Actor(r), kind, format, &b); err != nil {
		return err
	}
	_, err := b.WriteTo(h.listFile(w, kind, format))
	return err
}

// listFile is an answer that is a list, under a name with its day.
func (h house) listFile(w http.ResponseWriter, kind string, format exchange.Format) io.Writer {
	types := map[exchange.Format]string{
		exchange.CSV:  "text/csv; charset=utf-8",
		exchange.XLSX: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
	}
	return &page.Attached{To: w, Kind: types[format], Name: fmt.Sprintf("%s-%s.%s", kind, h.Nursery.Today().Format(time.DateOnly), format)}
}

// history writes a list that is not loaded, from a day to another.
func (h house) history(w http.ResponseWriter, r *http.Request, kind string, format exchange.Format) error {
	day := func(name string) (t time.Time, err error) {
		if s := r.URL.Query().Get(name); s != "" {
			if t, err = exchange.ParseDate(s); err != nil {
				return t, nursery.Problem{Field: name, Says: words.Capital(err.Error()) + "."}
			}
			t = time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, time.Local)
		}
		return t, nil
	}
	from, err := day("from")
	if err != nil {
		return err
	}
	to, err := day("to")
	if err != nil {
		return err
	}
	// Whole before any of it goes out, beside the memory: it may be of many years.
	f, err := os.CreateTemp("", "unionknot-list-")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	defer f.Close()
	if err := h.Nursery.ExportHistory(r.Context(), page.Actor(r), kind, from, to, format, f); err != nil {
		return err
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return err
	}
	_, err = io.Copy(h.listFile(w, kind, format), f)
	return err
}

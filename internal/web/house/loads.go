package house

import (
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"unionknot/docs/examples"
	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	filesstage "unionknot/internal/nursery/files"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

func (h house) read(w http.ResponseWriter, r *http.Request) error {
	kind := chi.URLParam(r, "kind")
	k, ok := nursery.KindOf(kind)
	if !ok {
		return nursery.ErrNotFound
	}
	r.Body = http.MaxBytesReader(w, r.Body, exchange.MaxBytes+64<<10)
	body, name, err := upload(r)
	if err != nil {
		h.Flash(r, "The file is missing or over %d MB, so nothing was read. Choose a smaller one.", exchange.MaxBytes>>20)
		return page.Go(w, r, k.Stage)
	}
	id, err := h.Nursery.ReadFile(r.Context(), page.Actor(r), kind, name, body)
	if form, bad := (page.Form{}).WithProblems(err); bad {
		h.Flash(r, "%s", form.Problems["file"])
		return page.Go(w, r, k.Stage)
	} else if err != nil {
		return err
	}
	return page.Go(w, r, "/loads/"+page.ID(id))
}

func upload(r *http.Request) ([]byte, string, error) {
	f, head, err := r.FormFile("file")
	if err != nil {
		return nil, "", err
	}
	defer f.Close()
	b, err := io.ReadAll(f)
	return b, filepath.Base(head.Filename), err
}

func loadID(r *http.Request) (int64, error) {
	id, err := strconv.ParseInt(chi.URLParam(r, "id"), 10, 64)
	if err != nil {
		return 0, nursery.ErrNotFound
	}
	return id, nil
}

func (h house) preview(w http.ResponseWriter, r *http.Request) error {
	id, err := loadID(r)
	if err != nil {
		return err
	}
	return h.showPreview(w, r, id, page.NewForm(), http.StatusOK)
}

func stageOf(k nursery.LoadKind) string {
	return map[string]string{"/stock": "Stock", "/wood": "Wood", "/wood/store": "Wood", "/orders": "Orders"}[k.Stage]
}

func (h house) showPreview(w http.ResponseWriter, r *http.Request, id int64, f page.Form, status int) error {
	p, err := h.Nursery.Preview(r.Context(), page.Actor(r), id)
	if err != nil {
		return err
	}
	return h.ShowStatus(w, r, h.views["preview"],
		page.Frame{Title: "Preview of " + p.Load.FileName, Stage: stageOf(p.Kind), Data: p, Form: f}, status)
}

// moment is how long a form waits for what it began, before the page says how far it is.
const moment = 1500 * time.Millisecond

// begun carries on after something was begun with a file: where it ends within a moment, its
// end is shown, and else how far it is.
func (h house) begun(w http.ResponseWriter, r *http.Request, id int64, ended <-chan error, err error) error {
	if err == nil {
		select {
		case err = <-ended:
		case <-time.After(moment):
		case <-r.Context().Done():
		}
	}
	if form, ok := page.NewForm().WithProblems(err); ok {
		return h.showPreview(w, r, id, form, http.StatusConflict)
	} else if err != nil {
		return err
	}
	return page.Go(w, r, "/loads/"+page.ID(id))
}

func (h house) load(w http.ResponseWriter, r *http.Request) error {
	id, err := loadID(r)
	if err != nil {
		return err
	}
	ended, err := h.Nursery.BeginLoad(r.Context(), page.Actor(r), id)
	return h.begun(w, r, id, ended, err)
}

func (h house) readAnew(w http.ResponseWriter, r *http.Request) error {
	id, err := loadID(r)
	if err != nil {
		return err
	}
	ended, err := h.Nursery.ReadAnew(r.Context(), page.Actor(r), id)
	return h.begun(w, r, id, ended, err)
}

// mend keeps cells that were mended: each field is named by its line and its column.
func (h house) mend(w http.ResponseWriter, r *http.Request) error {
	id, err := loadID(r)
	if err != nil {
		return err
	}
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	var ms []filesstage.Mended
	for name, vs := range f.Values {
		line, column, ok := strings.Cut(strings.TrimPrefix(name, "cell-"), "-")
		if n, err := strconv.Atoi(line); ok && err == nil && strings.HasPrefix(name, "cell-") {
			ms = append(ms, filesstage.Mended{Line: n, Field: column, Value: vs[0]})
		}
	}
	ended, err := h.Nursery.MendRows(r.Context(), page.Actor(r), id, ms)
	return h.begun(w, r, id, ended, err)
}

// stop stops what is being done with a file.
func (h house) stop(w http.ResponseWriter, r *http.Request) error {
	id, err := loadID(r)
	if err != nil {
		return err
	}
	if err := h.Nursery.Stop(r.Context(), page.Actor(r), id); err != nil {
		return err
	}
	return page.Go(w, r, "/loads/"+page.ID(id))
}

func (h house) drop(w http.ResponseWriter, r *http.Request) error {
	id, err := loadID(r)
	if err != nil {
		return err
	}
	p, err := h.Nursery.Preview(r.Context(), page.Actor(r), id)
	if err != nil {
		return err
	}
	if err := h.Nursery.DropLoad(r.Context(), page.Actor(r), id); err != nil {
		return err
	}
	h.Flash(r, "%s was looked at and left. Nothing was loaded.", p.Load.FileName)
	return page.Go(w, r, p.Kind.Stage)
}

// backPage is what taking a load back would do.
type backPage struct {
	filesstage.BackPage
	Lines []stayLine
}

type stayLine struct{ Key, Why string }

func (h house) back(w http.ResponseWriter, r *http.Request) error {
	id, err := loadID(r)
	if err != nil {
		return err
	}
	return h.showBack(w, r, id, page.NewForm(), http.StatusOK)
}

func (h house) showBack(w http.ResponseWriter, r *http.Request, id int64, f page.Form, status int) error {
	b, err := h.Nursery.Back(r.Context(), page.Actor(r), id)
	if form, ok := f.WithProblems(err); ok {
		return h.showPreview(w, r, id, form, http.StatusConflict)
	} else if err != nil {
		return err
	}
	p := backPage{BackPage: b}
	for _, x := range b.Stays {
		p.Lines = append(p.Lines, stayLine{x.Key, words.Stayed(x.Why)})
	}
	return h.ShowStatus(w, r, h.views["back"],
		page.Frame{Title: "Take back " + p.Load.FileName, Stage: stageOf(p.Kind), Data: p, Form: f}, status)
}

func (h house) takeBack(w http.ResponseWriter, r *http.Request) error {
	id, err := loadID(r)
	if err != nil {
		return err
	}
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	err = h.Nursery.TakeBack(r.Context(), page.Actor(r), id, f.Text("reason"))
	if form, ok := f.WithProblems(err); ok {
		return h.showBack(w, r, id, form, http.StatusUnprocessableEntity)
	} else if err != nil {
		return err
	}
	return page.Go(w, r, "/loads/"+page.ID(id))
}

// stays writes all rows of a load that stay, each with why.
func (h house) stays(w http.ResponseWriter, r *http.Request) error {
	id, err := loadID(r)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "text/csv; charset=utf-8")
	w.Header().Set("Content-Disposition", `attachment; filename="stays.csv"`)
	return exchange.Write(w, exchange.CSV, filesstage.StaysColumns, func(add func(...any) error) error {
		return h.Nursery.StaysFile(r.Context(), page.Actor(r), id, add)
	})
}

func (h house) example(w http.ResponseWriter, r *http.Request) error {
	name := chi.URLParam(r, "name")
	b, err := examples.Files.ReadFile(filepath.Base(name))
	if os.IsNotExist(err) {
		return nursery.ErrNotFound
	} else if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "text/csv; charset=utf-8")
	w.Header().Set("Content-Disposition", `attachment; filename="`+filepath.Base(name)+`"`)
	_, err = w.Write(b)
	return err
}

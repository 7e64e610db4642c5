package bench

import (
	"net/http"
	"strings"

	"unionknot/internal/nursery"
	"unionknot/internal/web/page"
)

func (b bench) addTool(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	err = b.Nursery.AddTool(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), f.Text("tool"))
	return b.handsDone(w, r, 0, f, err, "The tool is in use. Whoever cuts with it says so on their card.")
}

func (b bench) toolGone(w http.ResponseWriter, r *http.Request) error {
	f, id, err := posted(r)
	if err != nil {
		return err
	}
	return b.handsDone(w, r, 0, f, b.Nursery.SetToolGone(r.Context(), page.Actor(r), id, f.Text("gone") == "yes"), "Noted.")
}

func (b bench) undoTool(w http.ResponseWriter, r *http.Request) error {
	f, id, err := posted(r)
	if err != nil {
		return err
	}
	return b.handsDone(w, r, 0, f, b.Nursery.UndoToolHold(r.Context(), page.Actor(r), id), "Taken back.")
}

// holdTool notes with which tool somebody cuts from now on.
func (b bench) holdTool(w http.ResponseWriter, r *http.Request) error {
	f, err := page.ReadForm(r)
	if err != nil {
		return err
	}
	person, tool := int64(f.Int("person")), int64(f.Int("tool"))
	if err = f.Err(); err == nil {
		err = b.Nursery.HoldTool(nursery.WithOnce(r.Context(), f.Once), page.Actor(r), person, tool)
	}
	if err != nil {
		return err
	}
	b.Flash(r, "Noted, from now on.")
	back := f.Text("back")
	if !strings.HasPrefix(back, "/bench/tags/") {
		back = "/bench"
	}
	return page.Go(w, r, back)
}

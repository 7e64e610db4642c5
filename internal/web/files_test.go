package web_test

import (
	"bytes"
	"encoding/csv"
	"image"
	"image/png"
	"io"
	"mime/multipart"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/exchange"
	"unionknot/internal/testhouse"
)

// upload sends a file by a form and gives where it leads and what is said.
func (h *house) upload(t *testing.T, c *http.Client, path, field, name string, body []byte) (int, string, string) {
	t.Helper()
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	w, err := m.CreateFormFile(field, name)
	require.NoError(t, err)
	_, err = w.Write(body)
	require.NoError(t, err)
	require.NoError(t, m.Close())
	r, err := http.NewRequest(http.MethodPost, h.URL+path, &b)
	require.NoError(t, err)
	r.Header.Set("Content-Type", m.FormDataContentType())
	a, err := c.Do(r)
	require.NoError(t, err)
	defer a.Body.Close()
	text, err := io.ReadAll(a.Body)
	require.NoError(t, err)
	return a.StatusCode, a.Header.Get("Location"), string(text)
}

func TestListsGoOutAsFilesAndComeBack(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	_, err := h.db.Exec(`update stock_lot set supplier = '=cmd|x' where code = 'L-201'`)
	require.NoError(t, err)
	maud := h.as(t, "maud")
	for _, kind := range []string{"lots", "readings", "plants", "bundles", "orders", "store"} {
		for _, format := range []string{"csv", "xlsx"} {
			a, err := maud.Get(h.URL + "/export/" + kind + "." + format)
			require.NoError(t, err)
			body, err := io.ReadAll(a.Body)
			a.Body.Close()
			require.NoError(t, err)
			require.Equal(t, http.StatusOK, a.StatusCode, kind)
			assert.Equal(t, `attachment; filename="`+kind+"-2027-02-23."+format+`"`, a.Header.Get("Content-Disposition"))
			table, err := exchange.Read(body)
			require.NoError(t, err, kind)
			assert.NotEmpty(t, table.Rows)
			if kind == "lots" && format == "csv" {
				rows, err := csv.NewReader(bytes.NewReader(body)).ReadAll()
				require.NoError(t, err)
				all := ""
				for _, r := range rows {
					all += strings.Join(r, "|") + "\n"
				}
				assert.Contains(t, all, "|'=cmd|x|", "harmless in a spreadsheet")
			}
			status, to, _ := h.upload(t, maud, "/loads/"+kind, "file", "back."+format, body)
			require.Equal(t, http.StatusSeeOther, status)
			_, _, page := h.ask(t, maud, http.MethodGet, to)
			assert.NotContains(t, page, "Line", "%s as %s comes back without a bad row", kind, format)
		}
	}
	for _, path := range []string{"/export/secrets.csv", "/export/lots.pdf", "/export/lots"} {
		status, _, _ := h.ask(t, maud, http.MethodGet, path)
		assert.Equal(t, http.StatusNotFound, status, path)
	}
}

func TestAPictureIsServedAsWhatItIs(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	maud := h.as(t, "maud")
	var pic bytes.Buffer
	require.NoError(t, png.Encode(&pic, image.NewGray(image.Rect(0, 0, 40, 30))))
	status, to, _ := h.upload(t, maud, "/wood/plants/M-4/photos", "photo", "tree.html", pic.Bytes())
	require.Equal(t, http.StatusSeeOther, status)
	assert.Equal(t, "/wood/plants/M-4", to)
	id := h.one(t, `select max(id)::text from plant_photo`)
	a, err := maud.Get(h.URL + "/wood/photos/" + id)
	require.NoError(t, err)
	defer a.Body.Close()
	assert.Equal(t, "image/png", a.Header.Get("Content-Type"))
	assert.Equal(t, "nosniff", a.Header.Get("X-Content-Type-Options"))
	for name, body := range map[string][]byte{"page.jpg": []byte("<html><script>alert(1)</script>"), "empty.png": nil,
		"huge.png": make([]byte, 6<<20)} {
		status, _, page := h.upload(t, maud, "/wood/plants/M-4/photos", "photo", name, body)
		assert.Equal(t, http.StatusUnprocessableEntity, status, name)
		assert.Contains(t, page, `role="alert"`, name)
	}
	status, _, _ = h.upload(t, h.as(t, "vera"), "/wood/plants/M-4/photos", "photo", "x.png", pic.Bytes())
	assert.Equal(t, http.StatusForbidden, status)
	status, _, _ = h.ask(t, maud, http.MethodGet, "/wood/photos/none")
	assert.Equal(t, http.StatusNotFound, status)
}

func TestAScannedLabelOpensAtOnce(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	maud := h.as(t, "maud")
	for code, path := range map[string]string{"l-201": "/stock/lots/L-201", "W-304": "/wood/bundles/W-304", "M-4": "/wood/plants/M-4",
		"O-52": "/orders/O-52"} {
		status, to, _ := h.ask(t, maud, http.MethodGet, "/find?q="+code)
		assert.Equal(t, http.StatusSeeOther, status, code)
		assert.Equal(t, path, to)
	}
	status, _, page := h.ask(t, maud, http.MethodGet, "/find?q=lantern")
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, page, "Lanternjaw")
}

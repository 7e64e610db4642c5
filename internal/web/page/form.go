package page

import (
	"encoding/json"
	"errors"
	"io"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/words"
)

// Form is what was typed into a form, and what was wrong with it.
type Form struct {
	Values   url.Values
	Problems map[string]string
	Whole    string // what is wrong with no one field
	Once     string // the form's own key
	Prefix   string // before its fields' ids, where a page has several forms
}

// NewForm gives an empty form with some fields filled in: name, value pairs.
func NewForm(pairs ...string) Form {
	f := Form{Values: url.Values{}, Once: UUID()}
	for i := 0; i+1 < len(pairs); i += 2 {
		f.Values.Set(pairs[i], pairs[i+1])
	}
	return f
}

// UUID makes a random key.
func UUID() string { return nursery.NewID() }

// WithProblems sorts an error into the form; false when it is not one that
// people can mend by typing.
func (f Form) WithProblems(err error) (Form, bool) {
	f.Problems = map[string]string{}
	var ps nursery.Problems
	var p nursery.Problem
	switch {
	case errors.As(err, &ps):
	case errors.As(err, &p):
		ps = nursery.Problems{p}
	case errors.Is(err, nursery.ErrLong):
		ps = nursery.Problems{{Says: words.TextTooLong}}
	default:
		return f, false
	}
	for _, p := range ps {
		if p.Field == "" {
			f.Whole = p.Says
		} else if f.Problems[p.Field] == "" {
			f.Problems[p.Field] = p.Says
		}
	}
	return f, true
}

// Typed reads a posted form and its typed fields.
type Typed struct {
	Form
	ps nursery.Problems
}

// ReadForm parses a posted form.
func ReadForm(r *http.Request) (*Typed, error) {
	if err := r.ParseForm(); err != nil {
		return nil, nursery.Problem{Says: "The form did not arrive whole. Send it again."}
	}
	for _, vs := range r.PostForm {
		for _, v := range vs {
			if strings.ContainsRune(v, 0) || !utf8.ValidString(v) {
				return nil, nursery.Problem{Says: "The form holds signs that are not text. Type it anew."}
			}
		}
	}
	t := &Typed{Form: Form{Values: r.PostForm, Once: r.PostForm.Get("once")}}
	if t.Once == "" {
		t.Once = UUID()
	}
	return t, nil
}

// ReadUpload parses a posted form with a file in it. The body must be bounded
// already.
func ReadUpload(r *http.Request) (*Typed, error) {
	if err := r.ParseMultipartForm(1 << 20); err != nil {
		return nil, nursery.Problem{Says: "The file did not arrive whole, or is too large."}
	}
	return ReadForm(r)
}

// File gives an uploaded file's bytes.
func File(r *http.Request, name string) ([]byte, error) {
	f, _, err := r.FormFile(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return io.ReadAll(f)
}

// Text gives a field.
func (t *Typed) Text(name string) string { return strings.TrimSpace(t.Values.Get(name)) }

func (t *Typed) spoil(name, says string) {
	t.ps = append(t.ps, nursery.Problem{Field: name, Says: says})
}

// Int reads a whole number; empty is 0.
func (t *Typed) Int(name string) int {
	s := t.Text(name)
	if s == "" {
		return 0
	}
	n, err := exchange.ParseWhole(s)
	if err != nil {
		t.spoil(name, "Type a whole number.")
	}
	return n
}

// Number reads a number; empty is 0.
func (t *Typed) Number(name string) float64 {
	s := t.Text(name)
	if s == "" {
		return 0
	}
	x, err := exchange.ParseNumber(s)
	if err != nil {
		t.spoil(name, "Type a number, such as 8.4.")
	}
	return x
}

// Date reads a day; empty is the zero time.
func (t *Typed) Date(name string) time.Time {
	s := t.Text(name)
	if s == "" {
		return time.Time{}
	}
	d, err := exchange.ParseDate(s)
	if err != nil {
		t.spoil(name, "Type a day, such as 2027-01-14.")
	}
	return d
}

// Err gives what could not be read, or nil.
func (t *Typed) Err() error {
	if len(t.ps) == 0 {
		return nil
	}
	return t.ps
}

// Field is what the field template draws.
type Field struct {
	ID, Name, Label, Type, Value, Problem, Hint, List string
	Options                                           []string
	Required                                          bool
	Small                                             bool
}

// Local says whether an address leads to a page of this house, and nowhere else however
// a browser reads it.
func Local(to string) bool {
	u, err := url.Parse(to)
	return err == nil && u.Scheme == "" && u.Host == "" && u.User == nil && strings.HasPrefix(to, "/") && !strings.HasPrefix(to, "//") &&
		!strings.ContainsFunc(to, func(r rune) bool { return r == '\\' || r < ' ' || r == 0x7f })
}

// All gives every problem in one line, for a script that shows no form.
func (f Form) All() string {
	all := []string{}
	if f.Whole != "" {
		all = append(all, f.Whole)
	}
	for _, k := range slices.Sorted(maps.Keys(f.Problems)) {
		all = append(all, f.Problems[k])
	}
	return strings.Join(all, " ")
}

// Ago is how long before it came in a form was sent, where a device kept it.
func (t *Typed) Ago() time.Duration {
	ms, _ := strconv.ParseInt(t.Values.Get("ago_ms"), 10, 64)
	return time.Duration(max(0, ms)) * time.Millisecond
}

// Sent reads what a device sends of what it kept; false: it did not arrive whole, is sent again,
// and the answer says so.
func Sent(w http.ResponseWriter, r *http.Request, most int64, what any) bool {
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, most)).Decode(what); err != nil {
		http.Error(w, "what was sent did not arrive whole", http.StatusBadRequest)
		return false
	}
	return true
}

// Kept answers a device that sent something: with what became of it, or with what is wrong in it.
func Kept(w http.ResponseWriter, done any, err error) error {
	var bad nursery.Problem
	if errors.As(err, &bad) {
		http.Error(w, bad.Says, http.StatusUnprocessableEntity)
		return nil
	} else if err != nil {
		return err
	}
	return JSON(w, done)
}

// JSON answers a script of ours.
func JSON(w http.ResponseWriter, what any) error {
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	return json.NewEncoder(w).Encode(what)
}

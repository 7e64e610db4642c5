package words

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"
)

// Recorded is a value of the record of changes as people read it: what it is, and it.
type Recorded struct{ Name, Value string }

// quietFields are of the record's own bookkeeping and tell people nothing.
var quietFields = []string{"id", "tag id", "person id", "worker id", "replaces id", "made at"}

// Record turns what stood before or after a change, as JSON, into names and values: a
// single value has no name; what is empty is left out.
func Record(raw string) []Recorded {
	if raw == "" {
		return nil
	}
	var v any
	d := json.NewDecoder(strings.NewReader(raw))
	d.UseNumber()
	if err := d.Decode(&v); err != nil {
		return []Recorded{{Value: raw}}
	}
	var out []Recorded
	flatten(&out, "", v)
	slices.SortStableFunc(out, func(a, b Recorded) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// mostSaid bounds how much of one value is shown; all of it is in the list to take away.
const mostSaid = 160

func flatten(out *[]Recorded, name string, v any) {
	switch v := v.(type) {
	case nil:
	case map[string]any:
		for k, x := range v {
			at := recordName(k)
			if slices.Contains(quietFields, at) {
				continue
			}
			if name != "" && at != "values" && name != "values" {
				at = name + ", " + at
			}
			flatten(out, at, x)
		}
	case []any:
		parts := make([]string, 0, len(v))
		for _, x := range v {
			parts = append(parts, recordValue(x))
		}
		if len(parts) > 0 {
			add(out, name, strings.Join(parts, ", "))
		}
	default:
		add(out, name, recordValue(v))
	}
}

func add(out *[]Recorded, name, value string) {
	if value == "" || name == "values" {
		return
	}
	if r := []rune(value); len(r) > mostSaid {
		value = string(r[:mostSaid]) + "…"
	}
	*out = append(*out, Recorded{name, value})
}

func recordValue(v any) string {
	switch v := v.(type) {
	case nil:
		return "–"
	case bool:
		if v {
			return "yes"
		}
		return "no"
	case string:
		if t, err := time.Parse(time.RFC3339, v); err == nil {
			switch t := t.Local(); {
			case t.Year() < 1900:
				return ""
			case t.Hour() == 0 && t.Minute() == 0:
				return t.Format("2 January 2006")
			default:
				return t.Format("2 January 2006 15:04")
			}
		}
		return v
	case json.Number:
		return v.String()
	}
	b, err := json.Marshal(v)
	if err != nil {
		return fmt.Sprint(v)
	}
	return string(b)
}

// recordName reads a field of the record: "DueOn" and "due_on" are "due on"; fields that
// forms have bear the forms' names.
func recordName(k string) string {
	if n, ok := fieldNames[k]; ok {
		return strings.ToLower(n[:1]) + n[1:]
	}
	var b strings.Builder
	small := false
	for _, r := range k {
		switch {
		case r == '_' || r == ' ':
			b.WriteByte(' ')
			small = false
			continue
		case r >= 'A' && r <= 'Z':
			if small {
				b.WriteByte(' ')
			}
			r += 'a' - 'A'
			small = false
		default:
			small = true
		}
		b.WriteRune(r)
	}
	return b.String()
}

// Package correct puts right what was typed: orders, lots, mother plants, bundles,
// batches, the names of varieties and stocks, and the craft's tables beside what they were
// shipped with. Earlier values are kept with the reason, and what cannot be put right says
// why and what can.
package correct

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Stage carries out what people do here. Make one with New.
type Stage struct {
	*nursery.Kernel
	kinds map[string]kind
}

// New makes the stage.
func New(k *nursery.Kernel) *Stage {
	s := &Stage{Kernel: k}
	s.kinds = map[string]kind{"order": orders{s}, "lot": lots{s}, "plant": plants{s}, "bundle": bundles{s}, "batch": batches{s},
		"variety": names{s, false}, "stock": names{s, true},
		"technique": techniques{s}, "tie": ties{s}, "genus": genera{s}, "pair": pairs{s},
		"healing": healings{s}, "material": materials{s}, "section": sections{s}, "worth": worths{s}, "place": places{s}}
	return s
}

// Field is one thing that was typed.
type Field struct {
	Key     string
	Type    string // text, date, number or select
	Options []string
	Value   string // as it stands, as a form has it
	Fixed   string // why it cannot be put right, and what can; "" where it can
	Default string // as it was shipped, where Ships
	Ships   bool
}

// Thing is what is put right.
type Thing struct {
	Kind, Ref string // as the record of changes names it
	Title     string
	Says      string // what follows from putting it right
	Fields    []Field
}

// seen stands for a thing's values as somebody saw them.
func (t Thing) seen() string {
	h := sha256.New()
	for _, f := range t.Fields {
		fmt.Fprintf(h, "%s\x00%s\x00", f.Key, f.Value)
	}
	return hex.EncodeToString(h.Sum(nil)[:12])
}

// kind is a sort of thing that can be put right.
type kind interface {
	// read gives a thing as it stands, held until the end of the transaction.
	read(ctx context.Context, q store.Q, ref string) (Thing, error)
	// write keeps values, of which those of fixed fields are as they were.
	write(ctx context.Context, q store.Q, a nursery.Actor, ref string, v *values) error
}

// Page is what the page of a thing to be put right shows.
type Page struct {
	Thing
	Seen   string // sent back with what is typed, so that two people are told of each other
	Before nursery.Corrections
}

// Correction is what was typed.
type Correction struct {
	Values map[string]string
	Why    string
	Seen   string // the page's, when it was opened
	Sure   bool   // a day that is over is meant
	// Default takes every value that has one back to what was shipped.
	Default bool
}

// Correctable gathers the page of a thing.
func (s *Stage) Correctable(ctx context.Context, a nursery.Actor, of, ref string) (p Page, err error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return p, err
	}
	k, ok := s.kinds[of]
	if !ok {
		return p, nursery.ErrNotFound
	}
	err = s.DB.Tx(ctx, func(q store.Q) error {
		if p.Thing, err = k.read(ctx, q, ref); err != nil {
			return err
		}
		p.Before, err = nursery.CorrectionsOf(ctx, q, p.Kind, p.Ref)
		return err
	})
	p.Seen = p.seen()
	return p, err
}

// Corrections lists what was put right in something, the newest first.
func (s *Stage) Corrections(ctx context.Context, what, ref string) (nursery.Corrections, error) {
	return nursery.CorrectionsOf(ctx, s.DB.Q(), what, ref)
}

// Correct keeps values in place of those that were typed before, with the reason. Two
// people who do so at once are told of each other.
func (s *Stage) Correct(ctx context.Context, a nursery.Actor, of, ref string, c Correction) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	k, ok := s.kinds[of]
	if !ok {
		return nursery.ErrNotFound
	}
	why, err := nursery.CheckWhy(c.Why)
	if err != nil {
		return nursery.Problem{Field: "why", Says: words.GiveAWhy}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if again, err := nursery.SentBefore(ctx, q, nursery.Corrected+" "+ref); err != nil || again {
			return err
		}
		was, is, err := s.put(ctx, q, a, k, ref, c)
		if err != nil {
			return err
		}
		var changed []nursery.CorrectedValue
		for i, f := range is.Fields {
			if f.Value != was.Fields[i].Value {
				changed = append(changed, nursery.CorrectedValue{Key: f.Key, Was: was.Fields[i].Value, Is: f.Value})
			}
		}
		return s.WriteCorrection(ctx, q, a, was.Kind, is.Ref, why, changed)
	})
}

// put keeps values in place of those that were typed before, and gives the thing as it was
// and as it is.
func (s *Stage) put(ctx context.Context, q store.Q, a nursery.Actor, k kind, ref string, c Correction) (was, is Thing, err error) {
	if was, err = k.read(ctx, q, ref); err != nil {
		return was, is, err
	}
	if was.seen() != c.Seen {
		return was, is, nursery.Problem{Field: "", Says: words.CorrectedSince}
	}
	v := &values{typed: maps.Clone(c.Values), sure: c.Sure, was: map[string]string{}, today: s.Today()}
	differs := false
	for _, f := range was.Fields {
		v.was[f.Key] = f.Value
		is, typed := c.Values[f.Key]
		is = strings.Join(strings.Fields(is), " ")
		if c.Default && f.Ships {
			is, typed = f.Default, true
		}
		switch {
		case !typed || is == f.Value:
			is = f.Value
		case f.Fixed != "":
			v.spoil(f.Key, f.Fixed)
		case f.Type == "select" && !slices.Contains(f.Options, is):
			v.spoil(f.Key, words.ChooseFromList)
		default:
			differs = true
		}
		v.typed[f.Key] = is
	}
	if err := v.ps.Err(); err != nil {
		return was, is, err
	}
	if !differs {
		return was, is, nursery.Problem{Field: "", Says: words.NothingCorrected}
	}
	if err := k.write(ctx, q, a, ref, v); err != nil {
		return was, is, err
	}
	if v.now != "" {
		ref = v.now
	}
	is, err = k.read(ctx, q, ref)
	return was, is, err
}

// values are what was typed, read by type; what is wrong gathers.
type values struct {
	typed, was map[string]string
	sure       bool
	today      time.Time
	ps         nursery.Problems
	now        string // what the thing is called after it, where it is called by what was changed
}

func (v *values) spoil(key, says string) {
	v.ps = append(v.ps, nursery.Problem{Field: key, Says: says})
}

// text gives a text of at most so many letters, which must be there where it is needed.
func (v *values) text(key string, most int, needed bool) string {
	s := v.typed[key]
	if n := len([]rune(s)); n > most || needed && n == 0 {
		v.spoil(key, words.UpToLetters(most, needed))
	}
	return s
}

func (v *values) whole(key string, low, high int) int {
	n, err := exchange.ParseWhole(v.typed[key])
	if err != nil || n < low || n > high {
		v.spoil(key, words.WholeBetween(low, high))
	}
	return n
}

func (v *values) number(key string, low, high float64, empty bool) float64 {
	if empty && v.typed[key] == "" {
		return 0
	}
	x, err := exchange.ParseNumber(v.typed[key])
	if err != nil || x < low || x > high {
		v.spoil(key, words.NumberBetween(low, high))
	}
	return x
}

// day gives a day; where it may be empty, the zero time.
func (v *values) day(key string, empty bool) time.Time {
	if empty && v.typed[key] == "" {
		return time.Time{}
	}
	t, err := exchange.ParseDate(v.typed[key])
	if err != nil {
		v.spoil(key, words.Capital(err.Error())+".")
	}
	return t
}

// past sees that a day is not still to come.
func (v *values) past(key string, t time.Time) {
	if t.After(v.today) {
		v.spoil(key, words.DayToCome)
	}
}

func (v *values) changed(keys ...string) bool {
	return slices.ContainsFunc(keys, func(k string) bool { return v.typed[k] != v.was[k] })
}

func isoDay(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.Format(time.DateOnly)
}

func figure(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }

// ifFixed marks fields that cannot be put right.
func ifFixed(fixed bool, why string, keys []string, fields []Field) {
	for i := range fields {
		if fixed && slices.Contains(keys, fields[i].Key) {
			fields[i].Fixed = why
		}
	}
}

func generaOf(ctx context.Context, q store.Q) ([]string, error) {
	gs, err := q.Genera(ctx)
	out := make([]string, len(gs))
	for i, g := range gs {
		out[i] = g.Key
	}
	return out, err
}

// moved turns a ledger that would go below zero into words at a field.
func moved(err error, key string) error {
	if errors.Is(err, store.ErrShort) {
		return nursery.Problem{Field: key, Says: words.FewerAreFree}
	}
	return err
}

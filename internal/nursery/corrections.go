package nursery

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"unionknot/internal/store"
)

// Corrected is how the record of changes names a correction.
const Corrected = "corrected"

// Corrections is what was put right in something, the newest first.
type Corrections struct {
	What, Ref string
	All       []Correction
}

// Correction is what was put right at once.
type Correction struct {
	At     time.Time
	Person string
	Why    string
	Values []CorrectedValue
}

// CorrectedValue is a value as it was and as it is since, by the key of its field.
type CorrectedValue struct{ Key, Was, Is string }

// correction is how the record of changes has one.
type correction struct {
	Why    string            `json:"why,omitempty"`
	Values map[string]string `json:"values"`
}

// CorrectionsOf reads what was put right in something.
func CorrectionsOf(ctx context.Context, q store.Q, what, ref string) (Corrections, error) {
	out := Corrections{What: what, Ref: ref}
	cs, err := q.Corrections(ctx, what, ref, Corrected)
	if err != nil {
		return out, err
	}
	for _, c := range cs {
		var before, after correction
		if err := json.Unmarshal([]byte(c.Before), &before); err != nil {
			return out, fmt.Errorf("reading a correction of %s: %w", ref, err)
		}
		if err := json.Unmarshal([]byte(c.After), &after); err != nil {
			return out, fmt.Errorf("reading a correction of %s: %w", ref, err)
		}
		x := Correction{At: c.At, Person: c.Person, Why: after.Why}
		for key, is := range after.Values {
			x.Values = append(x.Values, CorrectedValue{key, before.Values[key], is})
		}
		slices.SortFunc(x.Values, func(a, b CorrectedValue) int { return strings.Compare(a.Key, b.Key) })
		out.All = append(out.All, x)
	}
	return out, nil
}

// WriteCorrection writes values as they were and as they are, with the reason.
func (k *Kernel) WriteCorrection(ctx context.Context, q store.Q, a Actor, what, ref, why string, values []CorrectedValue) error {
	before, after := correction{Values: map[string]string{}}, correction{Why: why, Values: map[string]string{}}
	for _, v := range values {
		before.Values[v.Key], after.Values[v.Key] = v.Was, v.Is
	}
	return k.Changed(ctx, q, a, what, ref, Corrected, before, after)
}

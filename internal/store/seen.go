package store

import (
	"context"
	"strings"
	"time"
)

// LetIn is a lot or a bundle let in although it was seen to be unfit.
type LetIn struct {
	Gates string    `json:"gates"` // what it is let through, commas between
	Why   string    `json:"why"`
	Who   string    `json:"who"`
	At    time.Time `json:"at"`
}

// Through says whether it was let through a gate.
func (l LetIn) Through(gate string) bool {
	for g := range strings.SplitSeq(l.Gates, ",") {
		if g == gate {
			return true
		}
	}
	return false
}

// letIn is the column of the last letting in of x, as far as nobody looked at
// it since: of a lot or of a bundle.
func letIn(of, looks string) string {
	return `(select json_agg(json_build_object('gates', e.gates, 'why', e.why, 'who', p.name, 'at', e.at)) from let_in e
		join person p on p.id = e.person_id where e.id = (select max(id) from let_in where ` + of + ` = x.id)
		and not exists (select 1 from ` + looks + ` k where k.` + of + ` = x.id and k.at > e.at))::text as let_in`
}

// LetIn lets a lot or a bundle in; the other id is 0.
func (q Q) LetIn(ctx context.Context, lot, bundle int64, l LetIn, person int64) error {
	_, err := q.exec(ctx, `insert into let_in (lot_id, bundle_id, gates, why, person_id, at)
		values (nullif($1, 0), nullif($2, 0), $3, $4, $5, $6)`, lot, bundle, l.Gates, l.Why, person, l.At)
	return err
}

package nursery

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"unionknot/internal/core/tagcode"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Hold is what a command locks before it writes. Everybody locks in the same
// order: the form's own key, the days, the house, orders, batches, their tags,
// lots, bundles; each kind by id. Balances, sums and revisions follow.
type Hold struct {
	Days          bool
	Orders        []int64
	Batches       []int64 // with all their tags
	Lots, Bundles []int64
}

// In locks, within a transaction.
func (h Hold) In(ctx context.Context, q store.Q) error {
	if h.Days {
		if err := q.LockDays(ctx); err != nil {
			return err
		}
	}
	for _, kind := range []struct {
		ids  []int64
		lock func(context.Context, []int64) error
	}{{h.Orders, q.LockOrders}, {h.Batches, q.LockBatches}, {h.Batches, q.LockTagsOf}, {h.Lots, q.LockLots}, {h.Bundles, q.LockBundles}} {
		slices.Sort(kind.ids)
		if ids := slices.Compact(kind.ids); len(ids) > 0 {
			if err := kind.lock(ctx, ids); err != nil {
				return err
			}
		}
	}
	return nil
}

// solveTries is how often work is worked out anew when what it was made of
// moved meanwhile.
const solveTries = 3

// errMoved says that what something was worked out from no longer stands.
var errMoved = errors.New("what it was worked out from has moved")

// KeepSeen writes what was worked out. It holds what it writes to, and then
// asks stands whether what was seen still does: errMoved where it does not.
type KeepSeen func(q store.Q, stands func() error) error

// AsSeen reads facts, lets work work something out with nothing locked, and
// keeps it if the facts still stand under the locks; else it begins anew. No
// keepSeen: there is nothing to keep.
func (k *Kernel) AsSeen(ctx context.Context, needs []snapshot.Need, work func(f *snapshot.Snapshot) (KeepSeen, error)) error {
	for range solveTries {
		f, err := k.Facts(ctx, needs...)
		if err != nil {
			return err
		}
		keep, err := work(f)
		if err != nil || keep == nil {
			return err
		}
		err = k.DB.Tx(ctx, func(q store.Q) error {
			return keep(q, func() error {
				now, err := k.FactsIn(ctx, q, needs...)
				if err == nil && now.Print() != f.Print() {
					err = errMoved
				}
				return err
			})
		})
		if !errors.Is(err, errMoved) {
			return err
		}
	}
	return Problem{
		"",
		words.WhatThisDrawsOnChanged,
	}
}

// FreshCodes makes codes that no tag and no batch bears. There are some two
// million, so in a house of many years a throw may be taken.
func (k *Kernel) FreshCodes(ctx context.Context, q store.Q, n int) ([]string, error) {
	var out []string
	r := k.codes()
	for len(out) < n {
		throw := map[string]bool{}
		var codes []string
		for len(codes) < n-len(out) {
			if c := tagcode.New(r); !throw[c] && !slices.Contains(out, c) {
				throw[c] = true
				codes = append(codes, c)
			}
		}
		used, err := q.CodesUsed(ctx, codes)
		if err != nil {
			return nil, fmt.Errorf("finding codes: %w", err)
		}
		for _, c := range codes {
			if !slices.Contains(used, c) {
				out = append(out, c)
			}
		}
	}
	return out, nil
}

// Change is a line for the record of changes.
type Change struct {
	What, Ref, Doing string
	Before, After    any
}

// ChangedAll writes lines of the record of changes, all in one statement.
func (k *Kernel) ChangedAll(ctx context.Context, q store.Q, a Actor, cs ...Change) error {
	id, _ := ctx.Value(requestKey{}).(string)
	from, _ := ctx.Value(fromKey{}).(string)
	rows := make([]store.NewChange, len(cs))
	for i, c := range cs {
		rows[i] = store.NewChange{
			Change: store.Change{At: k.Now(), RequestID: id, What: c.What, Ref: c.Ref, Doing: c.Doing, Address: from},
			Before: c.Before,
			After:  c.After,
		}
		if a.ID != 0 {
			rows[i].PersonID = &a.ID
		}
	}
	if err := q.AddChanges(ctx, rows...); err != nil {
		return fmt.Errorf("writing the record of changes: %w", err)
	}
	return nil
}

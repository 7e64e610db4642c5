package correct

import (
	"context"
	"errors"
	"strconv"

	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// names are those of varieties or, with stock, of stocks.
type names struct {
	*Stage
	stock bool
}

func (s names) kind() string {
	if s.stock {
		return "stock"
	}
	return "variety"
}

func (s names) lock(ctx context.Context, q store.Q, ref string) (store.Name, error) {
	id, err := strconv.ParseInt(ref, 10, 64)
	if err != nil {
		return store.Name{}, nursery.ErrNotFound
	}
	return q.LockName(ctx, s.stock, id)
}

func (s names) read(ctx context.Context, q store.Q, ref string) (Thing, error) {
	n, err := s.lock(ctx, q, ref)
	if err != nil {
		return Thing{}, err
	}
	return Thing{Kind: s.kind(), Ref: strconv.FormatInt(n.ID, 10), Title: n.Name, Says: words.NameCorrection, Fields: []Field{
		{Key: "name", Type: "text", Value: n.Name}}}, nil
}

func (s names) write(ctx context.Context, q store.Q, _ nursery.Actor, ref string, v *values) error {
	n, err := s.lock(ctx, q, ref)
	if err != nil {
		return err
	}
	name := v.text("name", 60, true)
	if err := v.ps.Err(); err != nil {
		return err
	}
	if err := q.Rename(ctx, s.stock, n.ID, name); errors.Is(err, store.ErrTaken) {
		return nursery.Problem{Field: "name", Says: words.NameTaken(name)}
	} else if err != nil {
		return err
	}
	return nil
}

// Name is a variety's or a stock's name, and what bears it.
type Name = store.Name

// NamesPage is every name of varieties and stocks, with what bears it.
type NamesPage struct {
	Varieties, Stocks []store.Name
	Places            []Place
}

// Place is where something stands, lies or heals, and what bears its name.
type Place = store.Place

// AllNames lists them.
func (s *Stage) AllNames(ctx context.Context, a nursery.Actor) (p NamesPage, err error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return p, err
	}
	q := s.DB.Q()
	if p.Varieties, err = q.NamesOf(ctx, false); err == nil {
		p.Stocks, err = q.NamesOf(ctx, true)
	}
	if err == nil {
		p.Places, err = q.Places(ctx)
	}
	return p, err
}

// Merge lets everything that bears one name bear another of the same genus: two spellings
// of one thing. The one is gone; the record says what bore it.
func (s *Stage) Merge(ctx context.Context, a nursery.Actor, stock bool, from, into int64, why string) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	why, err := nursery.CheckWhy(why)
	if err != nil {
		return nursery.Problem{Field: "why", Says: words.GiveAWhy}
	}
	if from == into {
		return nursery.Problem{Field: "into", Says: words.MergeWithItself}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		var both [2]store.Name
		for i, id := range []int64{min(from, into), max(from, into)} { // two at once take them in one order
			n, err := q.LockName(ctx, stock, id)
			if err != nil {
				return err
			}
			both[i] = n
		}
		gone, stays := both[0], both[1]
		if gone.ID != from {
			gone, stays = stays, gone
		}
		if gone.Genus != stays.Genus {
			return nursery.Problem{Field: "into", Says: words.OtherGenus}
		}
		if err := q.MergeNames(ctx, stock, from, into); err != nil {
			return err
		}
		k := names{s, stock}.kind()
		return s.WriteCorrection(ctx, q, a, k, strconv.FormatInt(into, 10), why, []nursery.CorrectedValue{
			{Key: "name", Was: gone.Name + ": " + words.NameBearers(gone.Orders, gone.Bearers, stock), Is: stays.Name}})
	})
}

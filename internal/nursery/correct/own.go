package correct

import (
	"context"
	"slices"
	"strings"
	"unicode/utf8"

	"unionknot/internal/core/own"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Choice is something that one of the house's own can be made as.
type Choice struct{ Key, Name string }

// named lists the names of a kind, and which of them one's own can be made as.
func (s *Stage) named(ctx context.Context, q store.Q, kind string) (names map[string]string, like []Choice, err error) {
	names = map[string]string{}
	add := func(key, name string, can bool) {
		names[key] = name
		if can {
			like = append(like, Choice{key, name})
		}
	}
	switch kind {
	case "technique":
		ts, err := q.Techniques(ctx)
		for _, t := range ts {
			add(t.Key, t.Name, true)
		}
		return names, like, err
	case "tie":
		ts, err := q.Ties(ctx)
		for _, t := range ts {
			add(t.Key, t.Name, true)
		}
		return names, like, err
	case "healing":
		hs, err := q.HealingWays(ctx)
		for _, h := range hs {
			add(h.Key, h.Name, h.LowC != nil)
		}
		return names, like, err
	case "cause":
		cs, err := q.Causes(ctx)
		for _, c := range cs {
			add(c, c, false)
		}
		return names, like, err
	}
	return nil, nil, nursery.ErrNotFound
}

// AddOwn adds a technique, a tie or a way to heal of the house's own, made as another is,
// or a cause of loss. It gives its key.
func (s *Stage) AddOwn(ctx context.Context, a nursery.Actor, kind, like, name string) (key string, err error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return "", err
	}
	name = strings.Join(strings.Fields(name), " ")
	if name == "" || utf8.RuneCountInString(name) > 60 {
		return "", nursery.Problem{Field: "own-" + kind, Says: words.UpToLetters(60, true)}
	}
	err = s.DB.Tx(ctx, func(q store.Q) error {
		if _, err := q.LockHouse(ctx); err != nil {
			return err
		}
		names, can, err := s.named(ctx, q, kind)
		if err != nil {
			return err
		}
		for _, n := range names {
			if strings.EqualFold(n, name) {
				return nursery.Problem{Field: "own-" + kind, Says: words.OwnNameTaken(n)}
			}
		}
		key = name
		if kind != "cause" {
			if !slices.ContainsFunc(can, func(c Choice) bool { return c.Key == like }) {
				return nursery.Problem{Field: "own-" + kind, Says: words.ChooseFromList}
			}
			n := 1
			for ; names[own.Key(like, n)] != ""; n++ {
			}
			key = own.Key(like, n)
		}
		if err := q.AddOwn(ctx, kind, like, key, name); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, kind, name, "added", nil, map[string]any{"made as": names[like]})
	})
	return key, err
}

// TakeOff lets go of one of the house's own that nobody used yet.
func (s *Stage) TakeOff(ctx context.Context, a nursery.Actor, kind, ref string) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if _, err := q.LockHouse(ctx); err != nil {
			return err
		}
		names, _, err := s.named(ctx, q, kind)
		if err != nil {
			return err
		}
		shipped, err := s.ships(ctx, q, kind, ref)
		if err != nil {
			return err
		}
		if names[ref] == "" || shipped {
			return nursery.ErrNotFound
		}
		used, err := q.OwnUsed(ctx, kind, ref)
		if err != nil {
			return err
		}
		if used {
			return nursery.Problem{Field: "own-" + kind, Says: words.OwnIsUsed(names[ref])}
		}
		if err := q.DropOwn(ctx, kind, ref); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, kind, names[ref], "taken off", names[ref], nil)
	})
}

// ships says whether something of a kind was shipped.
func (s *Stage) ships(ctx context.Context, q store.Q, kind, ref string) (bool, error) {
	if kind != "cause" {
		return !own.Is(ref), nil
	}
	ss, err := q.Shipped(ctx)
	return slices.ContainsFunc(ss, func(x store.Shipped) bool { return x.Kind == kind && x.Ref == ref }), err
}

// Offer says whether a tie, a way to heal or a cause is offered to choose. What bears it
// already keeps it.
func (s *Stage) Offer(ctx context.Context, a nursery.Actor, kind, ref string, offered bool) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	if kind == "technique" { // House has its switch, with the limits
		return nursery.ErrNotFound
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if _, err := q.LockHouse(ctx); err != nil {
			return err
		}
		names, _, err := s.named(ctx, q, kind)
		if err != nil {
			return err
		}
		if names[ref] == "" {
			return nursery.ErrNotFound
		}
		not, err := q.NotOffered(ctx)
		if err != nil {
			return err
		}
		was := !slices.Contains(not, store.Unoffered{Kind: kind, Ref: ref})
		if was == offered {
			return nil
		}
		left := len(names)
		for _, u := range not {
			if u.Kind == kind {
				left--
			}
		}
		if !offered && left <= 1 {
			return nursery.Problem{Field: "own-" + kind, Says: words.LastOffered}
		}
		if err := q.Offer(ctx, kind, ref, offered); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, kind, names[ref], "offered", was, offered)
	})
}

package correct

import (
	"context"
	"errors"
	"strings"

	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// places are where things stand, lie and heal.
type places struct{ *Stage }

func (s places) read(ctx context.Context, q store.Q, ref string) (Thing, error) {
	if _, err := q.LockHouse(ctx); err != nil {
		return Thing{}, err
	}
	ps, err := q.Places(ctx)
	p, err := theOne(ps, err, func(p store.Place) bool { return strings.EqualFold(p.Name, ref) })
	if err != nil {
		return Thing{}, err
	}
	return Thing{Kind: "place", Ref: p.Name, Title: p.Name, Says: words.PlaceCorrection, Fields: []Field{
		{Key: "name", Type: "text", Value: p.Name}}}, nil
}

func (s places) write(ctx context.Context, q store.Q, _ nursery.Actor, ref string, v *values) error {
	name := v.text("name", 60, true)
	if err := v.ps.Err(); err != nil {
		return err
	}
	if err := q.RenamePlace(ctx, ref, name); errors.Is(err, store.ErrTaken) {
		return nursery.Problem{Field: "name", Says: words.PlaceTaken(name)}
	} else if err != nil {
		return err
	}
	v.now = name
	return nil
}

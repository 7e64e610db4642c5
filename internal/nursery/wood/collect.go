package wood

import (
	"context"
	"errors"
	"fmt"

	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/words"
)

// Collect works out what to cut for the open orders: so many sticks of each
// mother plant, and what to look for.
func (s *Stage) Collect(ctx context.Context, asked outlook.CollectAsked) (outlook.Collection, error) {
	f, err := s.Facts(ctx, snapshot.Orders, snapshot.Piles, snapshot.Mothers)
	if err != nil {
		return outlook.Collection{}, err
	}
	orders, _, err := s.Reckon.OrderLines(ctx, f, &outlook.WhatIf{})
	if err != nil {
		return outlook.Collection{}, err
	}
	c, err := outlook.Collect(f, orders, asked)
	if errors.Is(err, outlook.ErrCollect) {
		return c, nursery.Problem{Says: words.Capital(err.Error()) + "."}
	} else if err != nil {
		return c, err
	}
	// Codes for the bundles to come: W- and the next free numbers.
	highest, err := s.DB.Q().HighestBundle(ctx)
	for i := range c.Lines {
		c.Lines[i].Bundle = fmt.Sprintf("W-%d", highest+1+i)
	}
	return c, err
}

package days

import (
	"context"
	"errors"
	"time"

	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
)

// BenchDays gathers the plan from a day on.
func (s *Stage) BenchDays(ctx context.Context, from time.Time) (outlook.DaysPage, error) {
	f, err := s.Facts(ctx, append([]snapshot.Need{snapshot.Orders}, outlook.DayNeeds...)...)
	if err != nil {
		return outlook.DaysPage{}, err
	}
	p := outlook.BenchDaysOf(f, from)
	lines, r, err := s.Reckon.OrderLines(ctx, f, &outlook.WhatIf{})
	if err != nil {
		return p, err
	}
	p.Budding = r.BuddingInTurn(lines)
	_, err = s.DB.Q().LastDayPlan(ctx)
	p.Undo = err == nil
	if errors.Is(err, nursery.ErrNotFound) {
		err = nil
	}
	return p, err
}

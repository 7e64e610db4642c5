package days

import (
	"context"
	"errors"
	"time"

	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
)

// BenchDays gathers the plan from a day on.
func (s *Stage) BenchDays(ctx context.Context, from time.Time) (outlook.DaysPage, error) {
	f, err := s.Facts(ctx, outlook.DayNeeds...)
	if err != nil {
		return outlook.DaysPage{}, err
	}
	p := outlook.BenchDaysOf(f, from)
	_, err = s.DB.Q().LastDayPlan(ctx)
	p.Undo = err == nil
	if errors.Is(err, nursery.ErrNotFound) {
		err = nil
	}
	return p, err
}

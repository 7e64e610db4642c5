package demo

import (
	"fmt"

	"unionknot/internal/nursery/rows"
)

// field notes the long field's rows: roses to be budded this summer, last summer's buds that sleep
// and wait for their heading back, and quinces that still grow into size.
func (m *maker) field() error {
	defer m.apart(24)()
	m.at(2027, 2, 20, 15, 0)
	wind := 250
	for _, r := range []struct {
		number int
		lot    string
		gaps   []int
		soil   string
	}{{12, "L-209", []int{88, 301, 302, 640}, "moist"}, {14, "P26-9", []int{61}, "sodden"}, {15, "L-188", []int{12, 13, 407}, ""}} {
		id, err := m.s.AddRow(m.ctx, m.a, rows.NewRow{Field: "long field", Number: r.number, Bearing: 90, WindFrom: wind, SpacingCM: 25})
		if err != nil {
			return err
		}
		if _, err := m.s.Stand(m.ctx, m.a, id, rows.Standing{Lot: r.lot}); err != nil {
			return fmt.Errorf("row %d: %w", r.number, err)
		}
		for _, at := range r.gaps {
			if _, err := m.s.NoteGap(m.ctx, m.a, id, rows.Gap{ID: m.uuid(), At: at, Why: "hares"}); err != nil {
				return fmt.Errorf("row %d: %w", r.number, err)
			}
		}
		if r.soil != "" {
			if err := m.s.NoteSoil(m.ctx, m.a, id, m.uuid(), r.soil, m.s.Today()); err != nil {
				return err
			}
		}
	}
	return nil
}

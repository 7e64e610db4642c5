package stock

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/core/supply"
	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// StockLists are the lists of this stage that a file can be loaded into.
func (s *Stage) StockLists() []nursery.List {
	return []nursery.List{{Kind: "lots", Read: s.readLots, Rows: s.lotRows}, {Kind: "readings", Read: s.readReadings, Rows: s.readingRows}}
}

func (s *Stage) lotRows(ctx context.Context, q store.Q, row func(...any) error) error {
	return nursery.Pages(func(after int64) (int64, error) {
		ls, err := q.Lots(ctx, after, 500)
		for _, l := range ls {
			if err := row("code", l.Code, "genus", l.Genus, "stock", l.StockType, "received_on", l.ReceivedOn.Format(time.DateOnly),
				"form", l.Form, "stems", l.Received, "supplier", l.Supplier,
				"grade_low_mm", nursery.OrEmpty(l.GradeLow), "grade_high_mm", nursery.OrEmpty(l.GradeHigh), "place", l.Place, "health",
				l.Health); err != nil {
				return 0, err
			}
			after = l.ID
		}
		return nursery.LastOf(len(ls), after), err
	})
}

func (s *Stage) readingRows(ctx context.Context, q store.Q, row func(...any) error) error {
	return q.AllReadings(ctx, func(lot string, on time.Time, no int, mm float64) error {
		return row("lot", lot, "taken_on", on.Format(time.DateOnly), "mm", mm, "no", no)
	})
}

func (s *Stage) readLots(ctx context.Context, q store.Q, l *nursery.Loading, t *exchange.Table) error {
	genera, err := s.KnownGenera(ctx, q)
	if err != nil {
		return err
	}
	known, err := q.LotsByCodes(ctx, nursery.Codes(t, "code"))
	if err != nil {
		return err
	}
	add := nursery.Batch(l, s.addLots)
	return l.Rows(ctx, t, func(c *exchange.Cells) error {
		r := c.Row
		n := NewLot{
			Code:       r.Cell("code"),
			Genus:      strings.ToLower(r.Cell("genus")),
			StockType:  r.Cell("stock"),
			Supplier:   r.Cell("supplier"),
			Form:       strings.ToLower(r.Cell("form")),
			Place:      r.Cell("place"),
			Health:     r.Cell("health"),
			ReceivedOn: c.Date("received_on"),
			Received:   c.Int("stems"),
			GradeLow:   c.Number("grade_low_mm"),
			GradeHigh:  c.Number("grade_high_mm"),
		}
		h, here := known[n.Code]
		limb := n.Form == supply.Limb && here && h.Form == supply.Limb
		if limb { // none comes by a file, but a list that went out comes back
			n.Form = supply.InRow
		}
		nursery.SpoilAll(c, n.check(genera, s.Today()))
		if limb {
			n.Form = supply.Limb
		}
		l.Twice(c, n.Code)
		l.Sort(c, here, func() []nursery.Difference {
			return nursery.Differs(
				"genus", h.Genus, n.Genus,
				"stock", strings.ToLower(h.StockType), strings.ToLower(n.StockType),
				"received_on", h.ReceivedOn, n.ReceivedOn,
				"form", h.Form, n.Form,
				"stems", h.Received, n.Received,
				"supplier", h.Supplier, n.Supplier,
				"place", h.Place, n.Place,
				"health", h.Health, n.Health,
				"grade_low_mm", nursery.Deref(h.GradeLow), n.GradeLow,
				"grade_high_mm", nursery.Deref(h.GradeHigh), n.GradeHigh,
			)
		}, func() { add(c.Line, n.Code, n) })
		return nil
	})
}

// readReadings knows a reading by its lot, day and number; without a column
// of numbers they are counted within lot and day, so that the same file,
// saved anew, is still the same readings.
func (s *Stage) readReadings(ctx context.Context, q store.Q, l *nursery.Loading, t *exchange.Table) error {
	type lotSeen struct {
		lot  store.Lot
		have map[string]float64
		n    map[string]int // by day
		err  error
	}
	lots := map[string]*lotSeen{}
	next := map[string]int{}
	add := nursery.Batch(l, func(ctx context.Context, q store.Q, a nursery.Actor, rs []store.Reading) error {
		_, err := q.AddReadings(ctx, rs, a.ID)
		return err
	})
	return l.Rows(ctx, t, func(c *exchange.Cells) error {
		r := c.Row
		code, on, mm, no := nursery.CleanCode(r.Cell("lot")), c.Date("taken_on"), c.Number("mm"), c.Int("no")
		if lots[code] == nil {
			x := &lotSeen{have: map[string]float64{}, n: map[string]int{}}
			if x.lot, x.err = q.LotByCode(ctx, code); x.err == nil {
				rs, err := q.Readings(ctx, x.lot.ID)
				if err != nil {
					return err
				}
				for _, h := range rs {
					x.have[fmt.Sprint(h.TakenOn.Format(time.DateOnly), "/", h.No)] = h.MM
					x.n[h.TakenOn.Format(time.DateOnly)]++
				}
			} else if !errors.Is(x.err, nursery.ErrNotFound) {
				return x.err
			}
			lots[code] = x
		}
		x := lots[code]
		if len(c.Bads) == 0 {
			switch {
			case x.err != nil:
				c.Spoil("lot", words.NoLotIsCalledX, code)
			case on.IsZero():
				c.Spoil("taken_on", words.GiveTheDayItWas)
			case on.After(season.DayOf(s.Now())):
				c.Spoil("taken_on", words.XIsStillToCome, on.Format(time.DateOnly))
			case mm < 1 || mm > 150:
				c.Spoil("mm", words.NMmIsNotA, mm)
			case no < 0:
				c.Spoil("no", words.AReadingsNumberIs1)
			}
		}
		if len(c.Bads) > 0 {
			l.Spoil(c)
			return nil
		}
		day := on.Format(time.DateOnly)
		if no == 0 {
			next[code+day]++
			no = next[code+day]
		}
		key := fmt.Sprint(day, "/", no)
		mm = float64(int(mm*100+0.5)) / 100
		was, ok := x.have[key]
		switch {
		case ok && was == mm:
			l.Same++
			return nil
		case ok:
			c.Spoil("mm", words.ReadingNOfXOn, no, code, day, was)
		case x.n[day] >= x.lot.Received:
			c.Spoil("lot", words.LotXHasNStems, code, x.lot.Received, day)
		}
		if len(c.Bads) > 0 {
			l.Spoil(c)
			return nil
		}
		x.have[key] = mm
		x.n[day]++
		add(c.Line, fmt.Sprint(x.lot.ID, "/", key), store.Reading{LotID: x.lot.ID, TakenOn: on, No: no, MM: mm})
		return nil
	})
}

package nursery

import (
	"context"
	"errors"
	"fmt"
	"math"
	"strings"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/exchange"
	"unionknot/internal/store"
)

// columnOf names a form's field by the file's column.
var columnOf = map[string]string{"stock_type": "stock", "received": "stems", "grade_low": "grade_low_mm"}

func spoilAll(c *exchange.Cells, ps Problems) {
	if len(c.Bads) > 0 { // a cell that could not be read explains the rest
		return
	}
	for _, p := range ps {
		col := p.Field
		if columnOf[col] != "" {
			col = columnOf[col]
		}
		c.Spoil(col, "%s", p.Says)
	}
}

// differs compares a row with what is here already, and names the first
// difference. Fields come in pairs: name, here, file.
func differs(fields ...any) (column, says string) {
	for i := 0; i+2 < len(fields); i += 3 {
		here, file := fields[i+1], fields[i+2]
		if t, ok := here.(time.Time); ok {
			here, file = t.Format(time.DateOnly), file.(time.Time).Format(time.DateOnly)
		}
		if here != file {
			return fields[i].(string), fmt.Sprintf("is %v here and %v in the file. Change it here, or give this row another code.", here, file)
		}
	}
	return "", ""
}

func deref[T any](p *T) (v T) {
	if p != nil {
		v = *p
	}
	return v
}

// sortRow puts a row where it belongs: bad, known, or to be added. known gives
// the first difference from what is here; ErrNotFound means the row is new.
func (l *loading) sortRow(c *exchange.Cells, known func() (column, says string, err error), add func(context.Context, store.Q, Actor) error) error {
	if len(c.Bads) == 0 {
		column, says, err := known()
		switch {
		case errors.Is(err, ErrNotFound):
			l.adds = append(l.adds, addition{c.Line, add})
			return nil
		case err != nil:
			return err
		case says == "":
			l.same++
			return nil
		}
		c.Spoil(column, "It %s", says)
	}
	l.spoil(c)
	return nil
}

func (s *Service) readLots(ctx context.Context, q store.Q, l *loading, t *exchange.Table) error {
	genera, err := s.genera(ctx, q)
	if err != nil {
		return err
	}
	for _, r := range t.Rows {
		c := &exchange.Cells{Row: r}
		n := NewLot{Code: r.Cell("code"), Genus: strings.ToLower(r.Cell("genus")), StockType: r.Cell("stock"), Supplier: r.Cell("supplier"), Form: strings.ToLower(r.Cell("form")),
			Place: r.Cell("place"), Health: r.Cell("health"), ReceivedOn: c.Date("received_on"), Received: c.Int("stems"),
			GradeLow: c.Number("grade_low_mm"), GradeHigh: c.Number("grade_high_mm")}
		spoilAll(c, n.check(genera))
		l.twice(c, n.Code)
		err := l.sortRow(c, func() (string, string, error) {
			h, err := q.LotByCode(ctx, n.Code)
			col, says := differs("genus", h.Genus, n.Genus, "stock", strings.ToLower(h.StockType), strings.ToLower(n.StockType), "received_on", h.ReceivedOn, n.ReceivedOn,
				"form", h.Form, n.Form, "stems", h.Received, n.Received, "supplier", h.Supplier, n.Supplier, "place", h.Place, n.Place, "health", h.Health, n.Health,
				"grade_low_mm", deref(h.GradeLow), n.GradeLow, "grade_high_mm", deref(h.GradeHigh), n.GradeHigh)
			return col, says, err
		}, func(ctx context.Context, q store.Q, a Actor) error { return s.addLot(ctx, q, a, n) })
		if err != nil {
			return err
		}
	}
	return nil
}

func (s *Service) readPlants(ctx context.Context, q store.Q, l *loading, t *exchange.Table) error {
	genera, err := s.genera(ctx, q)
	if err != nil {
		return err
	}
	for _, r := range t.Rows {
		c := &exchange.Cells{Row: r}
		n := NewPlant{Code: r.Cell("code"), Genus: strings.ToLower(r.Cell("genus")), Variety: r.Cell("variety"), Place: r.Cell("place"), SeenTrueBy: r.Cell("seen_true_by"),
			Health: r.Cell("health"), Licence: r.Cell("licence"), PlantedYear: c.Int("planted_year"), SeenTrueOn: c.Date("seen_true_on")}
		spoilAll(c, n.check(genera))
		l.twice(c, n.Code)
		err := l.sortRow(c, func() (string, string, error) {
			h, err := q.PlantByCode(ctx, n.Code)
			col, says := differs("genus", h.Genus, n.Genus, "variety", strings.ToLower(h.Variety), strings.ToLower(n.Variety), "place", h.Place, n.Place,
				"planted_year", deref(h.PlantedYear), n.PlantedYear, "seen_true_by", h.SeenTrueBy, n.SeenTrueBy, "seen_true_on", deref(h.SeenTrueOn), n.SeenTrueOn,
				"health", h.Health, n.Health, "licence", h.Licence, n.Licence)
			return col, says, err
		}, func(ctx context.Context, q store.Q, a Actor) error { return s.addPlant(ctx, q, a, n) })
		if err != nil {
			return err
		}
	}
	return nil
}

func (s *Service) readBundles(ctx context.Context, q store.Q, l *loading, t *exchange.Table) error {
	plants := map[string]bool{}
	for _, r := range t.Rows {
		c := &exchange.Cells{Row: r}
		n := NewBundle{Code: r.Cell("code"), Plant: r.Cell("plant"), State: strings.ToLower(r.Cell("state")), Place: r.Cell("place"), CutOn: c.Date("cut_on"), Sticks: c.Int("sticks"),
			LengthMM: c.Number("length_mm"), BaseMM: c.Number("base_mm"), TipMM: c.Number("tip_mm"), InternodeMM: c.Number("internode_mm"),
			BlindPct: c.Number("blind_pct"), BudsPerPiece: c.Int("buds_per_piece")}
		n.Whole = IsWhole(strings.ToLower(r.Cell("whole_shoot")), n.LengthMM)
		if n.State == "" {
			n.State = "resting"
		}
		spoilAll(c, n.check(s.Today()))
		l.twice(c, n.Code)
		if _, asked := plants[n.Plant]; !asked && n.Plant != "" {
			_, err := q.PlantByCode(ctx, n.Plant)
			if err != nil && !errors.Is(err, ErrNotFound) {
				return err
			}
			plants[n.Plant] = err == nil
		}
		if n.Plant != "" && !plants[n.Plant] {
			c.Spoil("plant", "No mother plant is called %s. Load mother plants first.", n.Plant)
		}
		err := l.sortRow(c, func() (string, string, error) {
			h, err := q.BundleByCode(ctx, n.Code)
			col, says := differs("plant", h.Plant, n.Plant, "cut_on", h.CutOn, n.CutOn, "state", h.State, n.State, "sticks", h.Sticks, n.Sticks, "length_mm", h.LengthMM, n.LengthMM,
				"base_mm", h.BaseMM, n.BaseMM, "tip_mm", h.TipMM, n.TipMM, "internode_mm", h.InternodeMM, n.InternodeMM, "blind_pct", round3(h.BlindShare*100), round3(n.BlindPct),
				"buds_per_piece", h.BudsPerPiece, n.BudsPerPiece, "place", h.Place, n.Place, "whole_shoot", h.WholeShoot, n.Whole)
			return col, says, err
		}, func(ctx context.Context, q store.Q, a Actor) error { return s.addBundle(ctx, q, a, n) })
		if err != nil {
			return err
		}
	}
	return nil
}

func round3(x float64) float64 { return float64(int(x*1000+0.5)) / 1000 }

func (s *Service) readOrders(ctx context.Context, q store.Q, l *loading, t *exchange.Table) error {
	genera, err := s.genera(ctx, q)
	if err != nil {
		return err
	}
	for _, r := range t.Rows {
		c := &exchange.Cells{Row: r}
		n := NewOrder{Code: r.Cell("code"), Genus: strings.ToLower(r.Cell("genus")), Variety: r.Cell("variety"), StockGenus: strings.ToLower(r.Cell("stock_genus")),
			StockType: r.Cell("stock"), Buyer: r.Cell("buyer"), Trees: c.Int("trees"), Priority: c.Int("priority"), DueOn: c.Date("due_on")}
		spoilAll(c, n.check(genera))
		l.twice(c, n.Code)
		err := l.sortRow(c, func() (string, string, error) {
			h, err := q.OrderByCode(ctx, n.Code)
			col, says := differs("genus", h.Genus, n.Genus, "variety", strings.ToLower(h.Variety), strings.ToLower(n.Variety), "stock_genus", h.StockGenus, n.StockGenus,
				"stock", strings.ToLower(h.StockType), strings.ToLower(n.StockType), "trees", h.Trees, n.Trees, "due_on", h.DueOn, n.DueOn, "priority", h.Priority, n.Priority, "buyer", h.Buyer, n.Buyer)
			return col, says, err
		}, func(ctx context.Context, q store.Q, a Actor) error { return s.addOrder(ctx, q, a, n) })
		if err != nil {
			return err
		}
	}
	return nil
}

// readReadings knows a reading by its lot, day and number; without a column
// of numbers they are counted within lot and day, so that the same file,
// saved anew, is still the same readings.
func (s *Service) readReadings(ctx context.Context, q store.Q, l *loading, t *exchange.Table) error {
	type lotSeen struct {
		lot  store.Lot
		have map[string]float64
		n    map[string]int // by day
		err  error
	}
	lots := map[string]*lotSeen{}
	next := map[string]int{}
	for _, r := range t.Rows {
		c := &exchange.Cells{Row: r}
		code, on, mm, no := cleanCode(r.Cell("lot")), c.Date("taken_on"), c.Number("mm"), c.Int("no")
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
			} else if !errors.Is(x.err, ErrNotFound) {
				return x.err
			}
			lots[code] = x
		}
		x := lots[code]
		if len(c.Bads) == 0 {
			switch {
			case x.err != nil:
				c.Spoil("lot", "No lot is called %s. Load lots first.", code)
			case on.IsZero():
				c.Spoil("taken_on", "Give the day it was measured, such as 2027-01-14.")
			case on.After(season.DayOf(s.Now())):
				c.Spoil("taken_on", "%s is still to come.", on.Format(time.DateOnly))
			case mm < 1 || mm > 150:
				c.Spoil("mm", "%g mm is not a stem: diameters run from 1 to 150 mm.", mm)
			case no < 0:
				c.Spoil("no", "A reading's number is 1 or more.")
			}
		}
		if len(c.Bads) > 0 {
			l.spoil(c)
			continue
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
			l.same++
			continue
		case ok:
			c.Spoil("mm", "Reading %d of %s on %s is %g mm already. Give this one another number or day.", no, code, day, was)
		case x.n[day] >= x.lot.Received:
			c.Spoil("lot", "Lot %s has %d stems, and as many are measured on %s.", code, x.lot.Received, day)
		}
		if len(c.Bads) > 0 {
			l.spoil(c)
			continue
		}
		x.have[key] = mm
		x.n[day]++
		l.readings = append(l.readings, store.Reading{LotID: x.lot.ID, TakenOn: on, No: no, MM: mm})
	}
	return nil
}

// readColds knows a reading by its store and time.
func (s *Service) readColds(ctx context.Context, q store.Q, l *loading, t *exchange.Table) error {
	type seen struct {
		place store.ColdPlace
		have  map[int64]float64
		err   error
	}
	stores := map[string]*seen{}
	l.colds = map[int64][]store.ColdReading{}
	for _, r := range t.Rows {
		c := &exchange.Cells{Row: r}
		name, at, temp := strings.Join(strings.Fields(r.Cell("store")), " "), c.Time("at"), c.Number("c")
		if len(c.Bads) == 0 && c.Cell("c") == "" && c.Cell("f") == "" {
			c.Spoil("c", "Give the temperature.")
		}
		k := strings.ToLower(name)
		if stores[k] == nil {
			x := &seen{have: map[int64]float64{}}
			if x.place, x.err = q.ColdPlaceByName(ctx, name); x.err == nil {
				rs, err := q.ColdReadings(ctx, x.place.ID, time.Time{})
				if err != nil {
					return err
				}
				for _, h := range rs {
					x.have[h.At.Unix()] = h.C
				}
			} else if !errors.Is(x.err, ErrNotFound) {
				return x.err
			}
			stores[k] = x
		}
		x := stores[k]
		if len(c.Bads) == 0 {
			switch says := coldSound(at, temp, s.Now()); {
			case x.err != nil:
				c.Spoil("store", "No store is called %q. Note it on the store's page first.", name)
			case at.IsZero():
				c.Spoil("at", "Give the day and the hour, such as 2027-01-14 06:30.")
			case says != "":
				c.Spoil("c", "%s", says)
			}
		}
		temp = math.Round(temp*100) / 100
		if was, ok := x.have[at.Unix()]; ok && len(c.Bads) == 0 {
			if was == temp {
				l.same++
				continue
			}
			c.Spoil("c", "At this hour %g °C is here already, and %g in the file.", was, temp)
		}
		if len(c.Bads) > 0 {
			l.spoil(c)
			continue
		}
		x.have[at.Unix()] = temp
		l.colds[x.place.ID] = append(l.colds[x.place.ID], store.ColdReading{At: at, C: temp, Source: "file"})
	}
	return nil
}

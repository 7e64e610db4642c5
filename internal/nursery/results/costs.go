package results

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"

	"unionknot/internal/core/cost"
	"unionknot/internal/core/own"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/ways"
	"unionknot/internal/core/working"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// CostLine is what a live union of a group comes to.
type CostLine struct {
	Key, Name string
	Made      cost.Made
	Sum       cost.Sum
	Brings    float64 // cents, of an order's trees; 0 where it is no order
	Working   working.Working
}

// TieLine is a tie beside the others.
type TieLine struct {
	Key, Name string
	Grafts    int
	Binding   cost.Binding
	PerLive   float64 // cents
}

// TeamSide is what was made of a technique by one alone, or by two.
type TeamSide struct {
	Made    cost.Made
	Sum     cost.Sum
	Take    sizing.Interval
	PerHour float64 // grafts an hour of one head
}

// TeamLine is a technique done alone and in pairs.
type TeamLine struct {
	Key, Name string
	Sides     [2]TeamSide // alone, in pairs
	Cheaper   float64     // the chance that a live union of a pair's comes to less
}

// CostBy are the groups that costs are shown by, in order.
var CostBy = []string{"technique", "tie", "worker", "team", "season", "order"}

// House defaults of what ties take beside their material, by what they are made as: minutes to
// take one off, and the share of a graft's time that binding is.
var (
	offMinutes = map[string]float64{"film": 0, "pvc": 0.3, "vinyl": 0.25, "rubber": 0.1, "fusing": 0.25, "raffia": 0.2}
	bindShare  = 0.35
	benchHours = 7.5 // of one head a day
	wipeEach   = 25.0
)

// prices are what a graft bound with a tie takes, by the house.
func prices(f *snapshot.Snapshot, tie string) cost.Prices {
	w := outlook.WorthOf(f.House)
	each := func(key string) float64 { m := f.Materials[key]; return m.Amount * float64(m.Cents) / 100 }
	p := cost.Prices{Stem: float64(w.StemCents), Piece: float64(w.PieceCents), Hour: float64(w.WageCents), Tie: each("tie:" + tie),
		BenchDay: each("overhead"), CareMinutes: f.Materials["care"].Amount}
	if own.Base(tie) != "film" {
		switch f.Answers().Seal() {
		case ways.FilmOver:
			p.Seal = each("film over")
		case ways.BrushedWax:
			p.Seal = each("wax")
		case ways.TapeAndHood:
			p.Seal = each("hood")
		}
	}
	if b := f.Materials["blade"]; b.Amount > 0 && f.Answers().Blade() != ways.HonedBlade {
		p.Seal += float64(b.Cents) / 100 / b.Amount
	}
	p.Seal += each("alcohol") / wipeEach
	p.Label = float64(f.Materials["label"].Cents) / 100
	return p
}

// ratesOf are grafts an hour by technique, for tags without taps.
func ratesOf(f *snapshot.Snapshot) map[string]float64 {
	rates := map[string]float64{}
	for _, t := range f.AllWays {
		rates[t.Key] = float64(t.RatePerHour)
	}
	return rates
}

// hoursOf are the hours that a tag took of all heads: by its taps, else by the technique's
// rate.
func hoursOf(d store.TagDetail, rates map[string]float64) float64 {
	hours := d.Hours
	if hours <= 0 && rates[d.Technique] > 0 {
		hours = float64(d.Tied*max(1, d.Buds)) / rates[d.Technique]
	}
	if d.Paired {
		hours *= 2
	}
	return hours
}

// books is what tags are priced by.
type books struct {
	f     *snapshot.Snapshot
	rates map[string]float64
	grade float64 // of live trees that make the grade
}

func booksOf(f *snapshot.Snapshot, grade float64) books { return books{f, ratesOf(f), grade} }

// spent is what went into tags. Ties mix within a group, so their prices are summed graft by
// graft.
type spent struct {
	made      cost.Made
	tie, seal float64 // cents, of all joins
	price     int     // agreed for a tree, of an order; 0 where none is
}

func (s *spent) add(b books, d store.TagDetail) {
	m, hours, pr := &s.made, hoursOf(d, b.rates), prices(b.f, d.Tie)
	joins := d.Tied * max(1, d.Buds)
	m.Grafts, m.Pieces = m.Grafts+d.Tied, m.Pieces+joins
	m.Spoiled, m.SpoiledW = m.Spoiled+d.Spoiled, m.SpoiledW+d.SpoiledW
	m.Labels += int(math.Round(b.f.Materials["label"].Amount))
	m.Hours += hours
	m.BenchDays += hours / benchHours
	m.Alive, m.Counted = m.Alive+min(d.Alive, d.Tied), m.Counted+d.Tied
	m.Grade = b.grade
	s.tie, s.seal = s.tie+float64(joins)*pr.Tie, s.seal+float64(joins)*pr.Seal
}

// prices are the house's, with ties and seals as these grafts had them on the mean.
func (s *spent) prices(f *snapshot.Snapshot) cost.Prices {
	pr := prices(f, "film")
	if s.made.Pieces > 0 {
		pr.Tie, pr.Seal = s.tie/float64(s.made.Pieces), s.seal/float64(s.made.Pieces)
	}
	return pr
}

func (s *spent) sum(f *snapshot.Snapshot) cost.Sum { return cost.Of(s.made, s.prices(f)) }

// working shows how a live union's cost was come by.
func (s *spent) working(f *snapshot.Snapshot, name string, sum cost.Sum) working.Working {
	m, pr := s.made, s.prices(f)
	w, tables := outlook.WorthOf(f.House), working.HouseDefault
	for key, x := range f.Materials {
		if f.SourceOf("material", key, "amount", x.Amount) != tables || f.SourceOf("material", key, "cents",
			float64(x.Cents)/100) != tables {
			tables = working.Entered
			break
		}
	}
	return working.Working{Title: words.CostTitle(name), Answer: words.Cents(sum.Live.Mean), Range: words.Cents(sum.Live.Low) + "–" +
		words.Cents(sum.Live.High),
		Rule: words.CostRule, Says: words.CostSays, Inputs: []working.Input{
			{Name: words.CostMade, Value: words.CostMadeOf(m.Grafts, m.Spoiled, m.Pieces, m.SpoiledW), Source: working.OwnRecords},
			{Name: words.CostAlive, Value: words.OfThem(m.Alive, m.Counted, sizing.Beta{Alpha: 1, Beta: 1}.And(m.Alive,
				m.Counted).Interval90()),
				Source: working.OwnRecords},
			{Name: words.CostHours, Value: fmt.Sprintf("%.1f", m.Hours), Source: working.OwnRecords},
			{Name: words.CostStemPiece, Value: words.Cents(pr.Stem) + ", " + words.Cents(pr.Piece), Source: w.Source(outlook.StemOf,
				outlook.PieceOf)},
			{Name: words.CostTieSeal, Value: words.Cents(pr.Tie) + ", " + words.Cents(pr.Seal), Source: tables},
			{Name: words.CostHour, Value: words.Cents(pr.Hour), Source: w.Source(outlook.WageOf)},
			{Name: words.CostCare, Value: fmt.Sprintf("%.1f, %s", pr.CareMinutes, words.Cents(pr.BenchDay)), Source: tables},
		}}
}

// costs reckons what live unions came to, by each group.
func (p *Pictures) costs(b books, ds []store.TagDetail, tieCauses []store.GroupCause) {
	f := b.f
	name := map[string]string{"alone": words.Alone, "paired": words.Paired}
	for _, t := range f.AllWays {
		name["technique "+t.Key] = t.Name
	}
	for _, t := range f.Ties {
		name["tie "+t.Key] = t.Name
	}
	for _, x := range f.All {
		name["worker "+fmt.Sprint(x.ID)] = x.Name
	}
	sums := map[string]map[string]*spent{}
	all := &spent{}
	for _, d := range ds {
		team := "alone"
		if d.Paired {
			team = "paired"
		}
		for g, key := range map[string]string{"technique": d.Technique, "tie": d.Tie, "worker": d.Worker, "team": team,
			"season": fmt.Sprint(d.Season), "order": d.Order} {
			if sums[g] == nil {
				sums[g] = map[string]*spent{}
			}
			if sums[g][key] == nil {
				sums[g][key] = &spent{}
			}
			sums[g][key].add(b, d)
			sums[g][key].price = d.TreeCents
		}
		all.add(b, d)
	}
	p.House = all.sum(f)
	p.Working = all.working(f, words.AllShown, p.House)
	p.Costs = map[string][]CostLine{}
	for g, by := range sums {
		for key, s := range by {
			l := CostLine{Key: key, Name: cmp.Or(name[g+" "+key], name[key], key), Made: s.made, Sum: s.sum(f)}
			if y, err := strconv.Atoi(key); g == "season" && err == nil {
				l.Name = seasonName(y)
			}
			if g == "order" {
				l.Brings = float64(cmp.Or(s.price, outlook.WorthOf(f.House).TreeCents)) * float64(s.made.Alive) * b.grade
			}
			l.Working = s.working(f, l.Name, l.Sum)
			p.Costs[g] = append(p.Costs[g], l)
		}
		slices.SortFunc(p.Costs[g], func(a, b CostLine) int {
			switch g {
			case "season":
				return cmp.Compare(a.Key, b.Key)
			case "order": // the dearest first
				a, b = b, a
			}
			return cmp.Or(cmp.Compare(a.Sum.Live.Mean, b.Sum.Live.Mean), cmp.Compare(a.Key, b.Key))
		})
	}
	p.ties(f, p.Costs["tie"], tieCauses)
	p.teams(b, ds)
}

// teams sets what one cuts and ties beside what a cutter and a tier make together, technique by
// technique where both were done.
func (p *Pictures) teams(b books, ds []store.TagDetail) {
	f := b.f
	by := map[string]*[2]spent{}
	for _, d := range ds {
		if by[d.Technique] == nil {
			by[d.Technique] = &[2]spent{}
		}
		i := 0
		if d.Paired {
			i = 1
		}
		by[d.Technique][i].add(b, d)
	}
	for key, both := range by {
		if both[0].made.Counted == 0 || both[1].made.Counted == 0 {
			continue
		}
		t := TeamLine{Key: key, Name: key}
		if k, ok := f.Technique(key); ok {
			t.Name = k.Name
		}
		for i := range both {
			m := both[i].made
			t.Sides[i] = TeamSide{Made: m, Sum: both[i].sum(f), Take: sizing.Beta{Alpha: 1, Beta: 1}.And(m.Alive, m.Counted).Interval90(),
				PerHour: float64(m.Pieces) / math.Max(m.Hours, 1e-9)}
		}
		t.Cheaper = cost.Cheaper(both[1].made, both[0].made, both[1].prices(f), both[0].prices(f))
		p.Teams = append(p.Teams, t)
	}
	slices.SortFunc(p.Teams, func(a, b TeamLine) int {
		return cmp.Or(b.Sides[1].Made.Grafts-a.Sides[1].Made.Grafts, cmp.Compare(a.Key, b.Key))
	})
}

// ties sets ties beside each other: what binding adds to a live union at this house's wage,
// with what it takes to bind and to take off, and what it girdles or lets go.
func (p *Pictures) ties(f *snapshot.Snapshot, lines []CostLine, causes []store.GroupCause) {
	lost := map[string]int{}
	for _, c := range causes {
		if c.Cause == words.TieGirdled || c.Cause == words.TieLoose {
			lost[c.Key] += c.N
		}
	}
	for _, l := range lines {
		m := l.Made
		if m.Grafts == 0 || m.Alive == 0 {
			continue
		}
		pr := prices(f, l.Key)
		b := cost.Binding{Material: pr.Tie, BindMinutes: bindShare * 60 * m.Hours / float64(m.Pieces),
			OffMinutes: offMinutes[own.Base(l.Key)], Loses: float64(lost[l.Key]) / float64(m.Grafts)}
		// Sunk is what a union had cost beside its tie.
		sunk := l.Sum.Live.Mean - l.Sum.Each(cost.Tie)
		p.Ties = append(p.Ties, TieLine{Key: l.Key, Name: l.Name, Grafts: m.Grafts, Binding: b,
			PerLive: b.PerLive(float64(m.Alive)/float64(m.Grafts), pr.Hour, sunk)})
	}
	slices.SortFunc(p.Ties, func(a, b TieLine) int { return cmp.Compare(a.PerLive, b.PerLive) })
}

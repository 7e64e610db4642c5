package results

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"time"

	"gonum.org/v1/gonum/stat/distuv"

	"unionknot/internal/core/season"
	"unionknot/internal/core/sizing"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// Guess is what the next season is guessed to ask of a variety on a stock.
type Guess struct {
	Variety, Genus, Stock string
	Seasons               int // since it was first ordered
	Booked                int // trees that are ordered for it already
	Trees                 sizing.Interval
	Grafts                sizing.Interval
	stockType             int64
	at                    [3]float64 // grafts at the low, the mean and the high number of trees
}

// AheadClass is stems of a diameter class.
type AheadClass struct {
	MM float64
	N  int
}

// AheadStock is stems of a stock.
type AheadStock struct {
	Stock   string
	Stems   sizing.Interval
	Classes []AheadClass // as they were grafted until now, of the mean
}

// AheadWood is wood of a variety.
type AheadWood struct {
	Variety string
	Pieces  sizing.Interval
	Plants  []AheadPlant
}

// AheadPlant is sticks to cut from a mother plant, as they were shared until now.
type AheadPlant struct {
	Plant  string
	Sticks sizing.Interval
}

// AheadWeek is hours of all heads in a week of the bench.
type AheadWeek struct {
	Monday time.Time
	Hours  sizing.Interval
	Have   float64 // hours of those who are at the bench now
}

// AheadDate is something to be done by a day.
type AheadDate struct {
	What     string // stems, cut, hire
	From, To time.Time
}

// Ahead is what the next season is likely to take.
type Ahead struct {
	Year    int // in which it begins
	More    int // hundredths beside what is guessed
	Chance  float64
	Booked  int // trees that are ordered for it already
	Guesses []Guess
	Stock   []AheadStock
	Wood    []AheadWood
	Weeks   []AheadWeek
	Money   sizing.Interval // cents
	Dates   []AheadDate
}

// House defaults of what is guessed.
const (
	guessSeasons = 4    // of the last ones
	guessSpread  = 0.30 // of a mean, where fewer than three seasons tell
	guessDraws   = 4000
	stemWeeks    = 26 // before the bench, stems are ordered or liners lined out
	hireWeeks    = 6  // before the week in which hours lack
	restWeeks    = 4  // after rest begins, wood is deep in it
	swellWeeks   = 2  // before buds swell, the last wood is cut
)

// Ahead works out what the season after this one takes, for so many hundredths more trees than
// are guessed.
func (s *Stage) Ahead(ctx context.Context, a nursery.Actor, more int) (out Ahead, err error) {
	if a.Role == nursery.BenchHand {
		return out, nursery.ErrNotAllowed
	}
	f, err := s.Facts(ctx, snapshot.Orders)
	if err != nil {
		return out, err
	}
	more = max(LeastMore, min(more, MostMore))
	work := func() (Ahead, error) { return s.ahead(context.WithoutCancel(ctx), f, more) }
	out, _, err = s.aheads.Get(fmt.Sprint(more), f.Print()+f.Today.Format(time.DateOnly), work, work)
	return out, err
}

func (s *Stage) ahead(ctx context.Context, f *snapshot.Snapshot, more int) (out Ahead, err error) {
	q := s.DB.Q()
	ordered, err := q.OrderedBySeason(ctx)
	if err != nil {
		return out, err
	}
	ds, err := q.TagDetails(ctx, store.TakeFilter{})
	if err != nil {
		return out, err
	}
	classes, err := q.ClassesUsed(ctx)
	if err != nil {
		return out, err
	}
	plants, err := q.PlantsCut(ctx)
	if err != nil {
		return out, err
	}
	fate, err := s.Reckon.Fate(ctx, f)
	if err != nil {
		return out, err
	}
	now := f.Today.Year()
	if f.Today.Month() < time.August {
		now--
	}
	out.Year, out.More, out.Chance = now+1, more, f.House.Chance
	out.Booked = booked(ordered, out.Year)
	if out.Guesses, err = guesses(ordered, ds, now, 1+float64(out.More)/100, out.Chance, fate.Grade.Mean()); err != nil {
		return out, err
	}
	out.needs(booksOf(f, fate.Grade.Mean()), ds, classes, plants)
	return out, nil
}

// booked is how many trees are ordered for a season of which nothing is made.
func booked(ordered []store.Ordered, season int) (n int) {
	for _, o := range ordered {
		if o.Season >= season {
			n += o.Open
		}
	}
	return n
}

// atLeast is a normal number given that it is some number at least: its mean, and its middle
// 90 %.
func atLeast(mean, sd, least float64) sizing.Interval {
	n := distuv.Normal{Mu: mean, Sigma: sd}
	above := 0.0
	if sd > 0 {
		above = n.Survival(least)
	}
	if above < 1e-6 { // more is booked than was ever to be guessed
		return sizing.Interval{Mean: least, Low: least, High: least}
	}
	at := func(p float64) float64 { return n.Quantile(1 - above*(1-p)) }
	return sizing.Interval{Mean: mean + sd*sd*n.Prob(least)/above, Low: math.Max(least, at(0.05)), High: at(0.95)}
}

// guesses says what is likely to be ordered for the season after now, by what was in the last
// seasons and what is booked, and the grafts for it at the house's chance.
func guesses(ordered []store.Ordered, ds []store.TagDetail, now int, factor, chance, grade float64) (out []Guess, err error) {
	type pair struct{ variety, stock string }
	by, first, ahead := map[pair]map[int]int{}, map[pair]store.Ordered{}, map[pair]int{}
	var pairs []pair
	for _, o := range ordered {
		k := pair{o.Variety, o.Stock}
		if o.Season > now && o.Open > 0 {
			if _, ok := first[k]; !ok {
				pairs, first[k] = append(pairs, k), o
			}
			ahead[k] += o.Open
		}
		if o.Season > now || o.Season <= now-guessSeasons {
			continue
		}
		if by[k] == nil {
			by[k] = map[int]int{}
			if _, ok := first[k]; !ok {
				pairs = append(pairs, k)
			}
			first[k] = o
		}
		if o.Season < first[k].Season {
			first[k] = o
		}
		by[k][o.Season] += o.Trees
	}
	alive, made := map[string]int{}, map[string]int{}
	allAlive, all := 0, 0
	for _, d := range ds {
		g := d.Genus
		alive[g], made[g] = alive[g]+min(d.Alive, d.Tied), made[g]+d.Tied
		allAlive, all = allAlive+min(d.Alive, d.Tied), all+d.Tied
	}
	prior := sizing.Prior((float64(allAlive)+1)/(float64(all)+2), priorGrafts)
	for _, k := range pairs {
		o := first[k]
		n := max(0, now-o.Season+1)
		sum, square := 0.0, 0.0
		for y := o.Season; y <= now; y++ {
			v := float64(by[k][y])
			sum, square = sum+v, square+v*v
		}
		mean := sum / float64(max(1, n))
		sd := guessSpread * mean
		if n >= 3 {
			// Few seasons: their own spread counts beside the default as one season more.
			own := math.Max(0, square/float64(n)-mean*mean) * float64(n) / float64(n-1)
			sd = math.Sqrt((own*float64(n) + sd*sd) / float64(n+1))
		}
		sd *= math.Sqrt(1 + 1/float64(max(1, n))) // the mean is not known better
		g := Guess{Variety: o.Variety, Genus: o.Genus, Stock: o.Stock, Seasons: n, Booked: ahead[k], stockType: o.StockType,
			Trees: sizing.Interval{Mean: factor * mean, Low: factor * math.Max(0, mean-1.6449*sd), High: factor * (mean + 1.6449*sd)}}
		if g.Booked > 0 {
			g.Trees = atLeast(factor*mean, factor*sd, float64(g.Booked))
		}
		belief := prior.And(alive[o.Genus], made[o.Genus])
		for i, trees := range []float64{g.Trees.Low, g.Trees.Mean, g.Trees.High} {
			grafts := 0
			if want := int(math.Ceil(trees / grade)); want > 0 {
				if grafts, err = sizing.Grafts(want, chance, belief); err != nil {
					return nil, err
				}
			}
			g.at[i] = float64(grafts)
		}
		g.Grafts = sizing.Interval{Mean: g.at[1], Low: g.at[0], High: g.at[2]}
		out = append(out, g)
	}
	slices.SortStableFunc(out, func(a, b Guess) int { return cmp.Compare(b.Trees.Mean, a.Trees.Mean) })
	return out, nil
}

// draw is the grafts of a guess where its trees turn out z standard deviations above their mean.
func (g Guess) draw(z float64) float64 {
	t := math.Max(-2.5, math.Min(2.5, z)) / 1.6449
	if t < 0 {
		return math.Max(0, g.at[1]+t*(g.at[1]-g.at[0]))
	}
	return g.at[1] + t*(g.at[2]-g.at[1])
}

// over gives the middle 90 % of a sum over guesses, each weighed: what one does another need not.
func over(gs []Guess, weight func(g Guess) float64) sizing.Interval {
	r := rand.New(rand.NewPCG(1, 17))
	var ws []float64
	mean := 0.0
	for _, g := range gs {
		w := weight(g)
		ws = append(ws, w)
		mean += w * g.at[1]
	}
	sums := make([]float64, guessDraws)
	for i := range sums {
		for k, g := range gs {
			z := r.NormFloat64() // of each, so that the same luck falls on every sum
			if ws[k] > 0 {
				sums[i] += ws[k] * g.draw(z)
			}
		}
	}
	slices.Sort(sums)
	return sizing.Interval{Mean: mean, Low: sums[guessDraws/20], High: sums[guessDraws*19/20]}
}

func times(x sizing.Interval, by float64) sizing.Interval {
	return sizing.Interval{Mean: x.Mean * by, Low: x.Low * by, High: x.High * by}
}

// needs works out stems by class, sticks by plant, hours by week and money.
func (a *Ahead) needs(b books, ds []store.TagDetail, classes []store.ClassUsed, plants []store.PlantCut) {
	made, f := &spent{}, b.f
	for _, d := range ds {
		made.add(b, d)
	}
	m := made.made
	if m.Grafts == 0 {
		return
	}
	n := float64(m.Grafts)
	stemsEach, piecesEach, hoursEach := float64(m.Grafts+m.Spoiled)/n, float64(m.Pieces+m.SpoiledW)/n, m.Hours/n
	var stocks, varieties []string
	types := map[string]int64{}
	for _, g := range a.Guesses {
		if !slices.Contains(stocks, g.Stock) {
			stocks = append(stocks, g.Stock)
			types[g.Stock] = g.stockType
		}
		if !slices.Contains(varieties, g.Variety) {
			varieties = append(varieties, g.Variety)
		}
	}
	for _, st := range stocks {
		x := AheadStock{Stock: st, Stems: times(over(a.Guesses, func(g Guess) float64 { return one(g.Stock == st) }), stemsEach)}
		all := 0
		for _, c := range classes {
			if c.StockType == types[st] {
				all += c.N
			}
		}
		for _, c := range classes {
			if c.StockType == types[st] && all > 0 {
				x.Classes = append(x.Classes, AheadClass{c.MM, int(math.Ceil(x.Stems.Mean * float64(c.N) / float64(all)))})
			}
		}
		a.Stock = append(a.Stock, x)
	}
	for _, v := range varieties {
		x := AheadWood{Variety: v, Pieces: times(over(a.Guesses, func(g Guess) float64 { return one(g.Variety == v) }), piecesEach)}
		sticks := 0
		for _, p := range plants {
			if p.Variety == v {
				sticks += p.Sticks
			}
		}
		for _, p := range plants {
			if p.Variety == v && p.Pieces > 0 && sticks > 0 {
				share := float64(p.Sticks) / float64(sticks)
				x.Plants = append(x.Plants, AheadPlant{p.Plant, times(x.Pieces, share*float64(p.Sticks)/float64(p.Pieces))})
			}
		}
		a.Wood = append(a.Wood, x)
	}
	hours := times(over(a.Guesses, func(Guess) float64 { return 1 }), hoursEach)
	a.weeks(f, ds, b.rates, hours, m.Hours)
	sum := made.sum(f)
	each := 0.0
	for _, p := range sum.Parts {
		each += p / n
	}
	a.Money = times(over(a.Guesses, func(Guess) float64 { return 1 }), each)
	a.dates(f)
}

func one(is bool) float64 {
	if is {
		return 1
	}
	return 0
}

// weeks lays the hours on the weeks of the year in which they fell until now.
func (a *Ahead) weeks(f *snapshot.Snapshot, ds []store.TagDetail, rates map[string]float64, hours sizing.Interval, all float64) {
	share := map[int]float64{} // by week of the season, from 1 August
	for _, d := range ds {
		from, _ := SeasonDays(d.Season)
		share[int(d.Day.Sub(from).Hours()/24/7)] += hoursOf(d, rates) / all
	}
	have := 0.0
	for _, h := range outlook.HandsOf(f) {
		have += h.WeekHours()
	}
	from, _ := SeasonDays(a.Year)
	for k := range 53 {
		if share[k] < 0.005 {
			continue
		}
		day := from.AddDate(0, 0, 7*k)
		a.Weeks = append(a.Weeks, AheadWeek{Monday: day.AddDate(0, 0, -(int(day.Weekday())+6)%7), Hours: times(hours, share[k]),
			Have: have})
	}
}

// dates say by when what is to be done.
func (a *Ahead) dates(f *snapshot.Snapshot) {
	if len(a.Weeks) == 0 {
		return
	}
	first := a.Weeks[0].Monday
	a.Dates = append(a.Dates, AheadDate{"stems", time.Time{}, first.AddDate(0, 0, -7*stemWeeks)})
	genus := ""
	if len(a.Guesses) > 0 {
		genus = a.Guesses[0].Genus
	}
	begins, ends := SeasonDays(a.Year)
	c := f.Year(f.Genus(genus).SeasonGroup).Around(begins.AddDate(0, 5, 0))
	within := func(kind string) (day time.Time) {
		for _, d := range c.Dates(kind) {
			if !d.Before(begins) && d.Before(ends) && day.IsZero() {
				day = d
			}
		}
		return day
	}
	if rest, swell := within(season.RestBegins), within(season.BudSwell); !rest.IsZero() && !swell.IsZero() {
		a.Dates = append(a.Dates, AheadDate{"cut", rest.AddDate(0, 0, 7*restWeeks), swell.AddDate(0, 0, -7*swellWeeks)})
	}
	for _, w := range a.Weeks {
		if w.Hours.High > w.Have {
			a.Dates = append(a.Dates, AheadDate{"hire", time.Time{}, w.Monday.AddDate(0, 0, -7*hireWeeks)})
			break
		}
	}
}

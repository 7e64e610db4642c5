package results

import (
	"context"
	"fmt"
	"slices"

	"unionknot/internal/core/cost"
	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Quote is what an order comes to before it is made, and what to ask for it.
type Quote struct {
	Order     store.Order
	Technique string
	Need      outlook.Need
	Margin    int // on the cost, in hundredths
	Job       cost.Job
	Sum       cost.Quotation
	Price     int // to ask for a tree, in cents
	Working   working.Working
}

// Margins that may be asked for, in hundredths, and the one that stands at first. House
// defaults.
const (
	LeastMargin = -50
	MostMargin  = 900
	UsualMargin = 25
)

// Quote prices an order at a margin on its cost, in hundredths.
func (s *Stage) Quote(ctx context.Context, a nursery.Actor, code string, margin int) (q Quote, err error) {
	if a.Role == nursery.BenchHand {
		return q, nursery.ErrNotAllowed
	}
	db := s.DB.Q()
	if q.Order, err = db.OrderByCode(ctx, nursery.CleanCode(code)); err != nil {
		return q, err
	}
	f, err := s.Facts(ctx, snapshot.Orders, snapshot.Piles, snapshot.Tags, snapshot.Rest, snapshot.Names)
	if err != nil {
		return q, err
	}
	r, err := s.Reckon.Sizer(ctx, f, q.Order.Genus)
	if err != nil {
		return q, err
	}
	if q.Need, _, err = r.Need(q.Order, f.House.Chance); err != nil {
		return q, err
	}
	q.Margin = max(LeastMargin, min(MostMargin, margin))
	if q.Need.Missing != "" {
		return q, nil
	}
	t := q.Need.By.Technique
	q.Technique = t.Name
	ds, err := db.TagDetails(ctx, store.TakeFilter{Genus: q.Order.Genus, Technique: t.Key})
	if err != nil {
		return q, err
	}
	made, source := &spent{}, working.OwnRecords
	b := booksOf(f, r.Fate.Both.Mean())
	for _, d := range ds {
		made.add(b, d)
	}
	m := made.made
	if m.Grafts == 0 { // nothing of it was made here: by the house's own rate
		source = working.HouseDefault
		tie := outlook.TieFor(f, t.SetsBud())
		hours := float64(max(1, t.Pieces())) / max(1, b.rates[t.Key])
		m = cost.Made{Grafts: 1, Pieces: max(1, t.Pieces()), Labels: int(f.Materials["label"].Amount), Hours: hours,
			BenchDays: hours / benchHours}
		pr := prices(f, tie)
		made = &spent{made: m, tie: pr.Tie * float64(m.Pieces), seal: pr.Seal * float64(m.Pieces)}
	}
	n := float64(m.Grafts)
	q.Job = cost.Job{Trees: q.Order.Trees, Grafts: q.Need.Grafts, Few: q.Need.Low, Many: q.Need.High, Live: q.Need.By.Take.Interval90(),
		Grade: b.grade, Stems: float64(m.Grafts+m.Spoiled) / n, Pieces: float64(m.Pieces+m.SpoiledW) / n, Joins: float64(m.Pieces) / n,
		Labels: float64(m.Labels) / n, Hours: m.Hours / n, Days: m.BenchDays / n}
	q.Sum = cost.Quote(q.Job, made.prices(f))
	q.Price = q.Sum.Price(float64(q.Margin) / 100)
	q.Working = working.Working{Title: q.Order.Code, Answer: words.Money(q.Price), Rule: words.QuoteRule, Says: words.QuoteSays,
		Range: words.Cents(q.Sum.Tree.Low) + "–" + words.Cents(q.Sum.Tree.High),
		Inputs: []working.Input{
			{Name: words.QuoteTrees, Value: words.Thousands(q.Order.Trees), Source: working.Entered},
			{Name: words.QuoteGrafts, Value: words.QuoteGraftsSay(q.Job.Grafts, q.Job.Few, q.Job.Many), Source: working.OwnRecords},
			{Name: words.QuoteLive, Value: words.PctRange(q.Job.Live), Source: working.OwnRecords},
			{Name: words.QuoteGrade, Value: words.Pct(q.Job.Grade), Source: r.Fate.From},
			{Name: words.QuoteHours, Value: fmt.Sprintf("%.1f", 60*q.Job.Hours), Source: source},
			{Name: words.QuoteSpoiled, Value: fmt.Sprintf("%.2f, %.2f", q.Job.Stems, q.Job.Pieces), Source: source},
			{Name: words.QuoteMargin, Value: fmt.Sprintf("%d %%", q.Margin), Source: working.Entered},
		}}
	return q, nil
}

// SetPrice notes what was agreed for a tree of an order, in cents; 0 takes it away.
func (s *Stage) SetPrice(ctx context.Context, a nursery.Actor, code string, cents int) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	if cents < 0 || cents > mostPrice {
		return nursery.Problem{Field: "price", Says: words.PriceWanted}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		o, err := q.OrderByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		if err := q.LockOrder(ctx, o.ID); err != nil {
			return err
		}
		if o, err = q.OrderByCode(ctx, o.Code); err != nil {
			return err
		}
		was := o.TreeCents
		if o.TreeCents = &cents; cents == 0 {
			o.TreeCents = nil
		}
		if same := slices.Equal(amount(was), amount(o.TreeCents)); same {
			return nil
		}
		if err := q.CorrectOrder(ctx, o); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "order", o.Code, "price agreed", words.MoneyOr(was), words.MoneyOr(o.TreeCents))
	})
}

// mostPrice bounds what a tree may bring, in cents.
const mostPrice = 10_000_000

func amount(cents *int) []int {
	if cents == nil {
		return nil
	}
	return []int{*cents}
}

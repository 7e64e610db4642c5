package store

import "context"

// Shipped is a value of the craft's tables as it was shipped.
type Shipped struct {
	Kind  string `db:"kind"` // technique, tie, genus or pair
	Ref   string `db:"ref"`  // of which; a pair is "pear on quince"
	Field string `db:"field"`
	Value string `db:"value"`
}

// Shipped lists all of them.
func (q Q) Shipped(ctx context.Context) (ss []Shipped, err error) {
	err = q.all(ctx, &ss, `select * from shipped order by kind, ref, field`)
	return ss, err
}

// CorrectTechnique keeps a technique's figures; prior is a share.
func (q Q) CorrectTechnique(ctx context.Context, key, name string, rate int, prior float64, weight int, slope, ratioMax float64) error {
	_, err := q.exec(ctx, `update technique set name = $7, rate_per_hour = $2, prior_take = $3, prior_weight = $4, slope = $5, ratio_max
		= $6
		where key = $1`, key, rate, prior, weight, slope, ratioMax, name)
	return err
}

// CorrectTie keeps a tie's name, how it comes off and after how many weeks; nil: it stays.
func (q Q) CorrectTie(ctx context.Context, t Tie) error {
	if err := q.named(ctx, `update tie set name = :name, untie = :untie, weeks = :weeks where key = :key`, t); err != nil {
		return err
	}
	_, err := q.exec(ctx, `update material set name = $2 where key = 'tie:' || $1`, t.Key, t.Name)
	return err
}

// CorrectGenus keeps a genus's figures.
func (q Q) CorrectGenus(ctx context.Context, g Genus) error {
	return q.named(ctx, `update genus set logit_shift = :logit_shift, usual_way = :usual_way, cut_note = :cut_note where key = :key`, g)
}

// SetPair keeps how two genera get on.
func (q Q) SetPair(ctx context.Context, scion, stock, verdict, note string) error {
	_, err := q.exec(ctx, `insert into compatibility (scion_genus, stock_genus, verdict, note) values ($1, $2, $3, $4)
		on conflict (scion_genus, stock_genus) do update set verdict = excluded.verdict, note = excluded.note`, scion, stock, verdict, note)
	return err
}

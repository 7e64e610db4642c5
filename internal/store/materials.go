package store

import "context"

// Material is what a graft, a tag or a wipe takes of something, and what that costs.
type Material struct {
	Key    string  `db:"key"` // of a tie "tie:" and its key
	Name   string  `db:"name"`
	Sort   int     `db:"sort"`
	Unit   string  `db:"unit"`   // as it is bought and laid out
	Each   string  `db:"each"`   // what Amount is of
	Amount float64 `db:"amount"` // of blades, how many grafts one serves
	Cents  int     `db:"cents"`  // of a hundred units
}

// Materials lists them.
func (q Q) Materials(ctx context.Context) (ms []Material, err error) {
	err = q.all(ctx, &ms, `select key, name, sort, unit, each, amount, cents from material order by sort, name`)
	return ms, err
}

// SetMaterial keeps what is taken of a material, and its price.
func (q Q) SetMaterial(ctx context.Context, key string, amount float64, cents int) error {
	_, err := q.exec(ctx, `update material set amount = $2, cents = $3 where key = $1`, key, amount, cents)
	return err
}

// Unoffered is something of the craft's tables that the house does not offer to choose.
type Unoffered struct {
	Kind string `db:"kind"` // tie, healing or cause
	Ref  string `db:"ref"`
}

// NotOffered lists what is not offered.
func (q Q) NotOffered(ctx context.Context) (us []Unoffered, err error) {
	err = q.all(ctx, &us, `select kind, ref from not_offered order by kind, ref`)
	return us, err
}

// Offer says whether something is offered to choose.
func (q Q) Offer(ctx context.Context, kind, ref string, offered bool) error {
	do := `insert into not_offered (kind, ref) values ($1, $2) on conflict do nothing`
	if offered {
		do = `delete from not_offered where kind = $1 and ref = $2`
	}
	_, err := q.exec(ctx, do, kind, ref)
	return err
}

// ownOf is how one of the house's own is made of another, and what tells that it was used.
var ownOf = map[string]struct{ add, used, drop []string }{
	"technique": {
		add: []string{
			`insert into technique (key, name, sort, stock_states, wood_states, stock_min_mm, stock_max_mm, ratio_min, ratio_max,
				wider_allowed,
				cut, buds_min, buds_max, good_for, rate_per_hour, prior_take, prior_weight, slope, hand_note, in_use)
				select $2, $3, (select max(sort) + 1 from technique), stock_states, wood_states, stock_min_mm, stock_max_mm, ratio_min,
				ratio_max,
				wider_allowed, cut, buds_min, buds_max, good_for, rate_per_hour, prior_take, prior_weight, slope, hand_note, true
				from technique where key = $1`,
			`insert into person_skill (person_id, technique) select person_id, $2 from person_skill where technique = $1 and $3 <> ''`,
		},
		used: []string{`select exists (select from any_tag where technique = $1) or exists (select from batch_thread where technique = $1)
			or exists (select from pace_sum where technique = $1) or exists (select from station where technique = $1)`},
		drop: []string{`delete from person_skill where technique = $1`, `delete from technique where key = $1`},
	},
	"tie": {
		add: []string{`insert into tie (key, name, untie, weeks) select $2, $3, untie, weeks from tie where key = $1`,
			`insert into material (key, name, sort, unit, each, amount, cents) select 'tie:' || $2, $3, sort, unit, each, amount, cents
				from material where key = 'tie:' || $1`},
		used: []string{`select exists (select from batch where tie = $1)`},
		drop: []string{`delete from material where key = 'tie:' || $1`, `delete from tie where key = $1`},
	},
	"healing": {
		add: []string{`insert into healing_way (key, name, low_c, high_c, days_min, days_max) select $2, $3, low_c, high_c, days_min,
			days_max
			from healing_way where key = $1`},
		used: []string{`select exists (select from batch where healing = $1)`},
		drop: []string{`delete from healing_way where key = $1`},
	},
	"cause": {
		add: []string{`insert into cause (key, sort) select $3, (select coalesce(max(sort), 0) + 1 from cause) where $1::text is not
			null and $2::text is not null`},
		used: []string{`select exists (select from count_cause where cause = $1) or exists (select from tree_move where cause = $1)`},
		drop: []string{`delete from cause where key = $1`},
	},
}

// AddOwn adds one of the house's own of a kind, made as another is.
func (q Q) AddOwn(ctx context.Context, kind, like, key, name string) error {
	for _, do := range ownOf[kind].add {
		if _, err := q.exec(ctx, do, like, key, name); err != nil {
			return err
		}
	}
	return nil
}

// OwnUsed says whether one of the house's own was used by anybody.
func (q Q) OwnUsed(ctx context.Context, kind, ref string) (used bool, err error) {
	for _, ask := range ownOf[kind].used {
		if err := q.get(ctx, &used, ask, ref); err != nil || used {
			return used, err
		}
	}
	return false, nil
}

// DropOwn lets go of one of the house's own that nobody used.
func (q Q) DropOwn(ctx context.Context, kind, ref string) error {
	for _, do := range ownOf[kind].drop {
		if _, err := q.exec(ctx, do, ref); err != nil {
			return err
		}
	}
	_, err := q.exec(ctx, `delete from not_offered where kind = $1 and ref = $2`, kind, ref)
	return err
}

// CorrectHealing keeps the temperatures in °C between which a way to heal keeps its unions.
func (q Q) CorrectHealing(ctx context.Context, key, name string, low, high float64) error {
	_, err := q.exec(ctx, `update healing_way set name = $2, low_c = $3, high_c = $4 where key = $1`, key, name, low, high)
	return err
}

// SetSectionPair keeps how two sections get on.
func (q Q) SetSectionPair(ctx context.Context, scion, section, stock, stockSection, verdict, note string) error {
	_, err := q.exec(ctx, `insert into section_pair (scion_genus, scion_section, stock_genus, stock_section, verdict, note)
		values ($1, $2, $3, $4, $5, $6) on conflict (scion_genus, scion_section, stock_genus, stock_section)
		do update set verdict = excluded.verdict, note = excluded.note`, scion, section, stock, stockSection, verdict, note)
	return err
}

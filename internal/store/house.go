package store

import (
	"context"
	"encoding/json"
	"time"
)

// House is the nursery's own settings.
type House struct {
	Name          string     `db:"name"`
	Place         string     `db:"place"`
	DemoDay       *time.Time `db:"demo_day"`
	DemoClock     string     `db:"demo_clock"` // "14:05:00"
	SetupCodeHash *string    `db:"setup_code_hash"`
	TagSize       int        `db:"tag_size"`
	Chance        float64    `db:"chance"`
	WageCents     int        `db:"wage_cents_hour"`
	GradeShare    float64    `db:"grade_share"` // of live trees that are lifted and make the grade
	TreeCents     int        `db:"tree_cents"`  // what a live tree is worth
	StemCents     int        `db:"stem_cents"`
	PieceCents    int        `db:"piece_cents"`
	DelayShare    float64    `db:"delay_share"` // of a tree's worth that a year's delay costs
	TimeZone      string     `db:"time_zone"`   // as time.LoadLocation takes it; "" not known yet
	CopiedAt      *time.Time `db:"copied_at"`   // nil: never
	CopiedBytes   int64      `db:"copied_bytes"`
}

const houseColumns = `name, place, demo_day, demo_clock::text as demo_clock, setup_code_hash, tag_size, chance, wage_cents_hour,
	grade_share, tree_cents, stem_cents, piece_cents, delay_share, time_zone, copied_at, copied_bytes`

// House reads the settings.
func (q Q) House(ctx context.Context) (h House, err error) {
	err = q.get(ctx, &h, `select `+houseColumns+` from house`)
	return h, err
}

// LockHouse reads the settings and holds them until the transaction ends.
func (q Q) LockHouse(ctx context.Context) (h House, err error) {
	err = q.get(ctx, &h, `select `+houseColumns+` from house for no key update`)
	return h, err
}

// UpdateHouse keeps the settings, but for the demo's day.
func (q Q) UpdateHouse(ctx context.Context, h House) error {
	return q.named(ctx, `update house set name = :name, place = :place, setup_code_hash = :setup_code_hash,
		tag_size = :tag_size, chance = :chance, wage_cents_hour = :wage_cents_hour, grade_share = :grade_share, tree_cents = :tree_cents,
		stem_cents = :stem_cents, piece_cents = :piece_cents, delay_share = :delay_share, time_zone = :time_zone`, h)
}

// SetCopied notes when the house was copied.
func (q Q) SetCopied(ctx context.Context, at time.Time, bytes int64) error {
	_, err := q.exec(ctx, `update house set copied_at = $1, copied_bytes = $2`, at, bytes)
	return err
}

// SetDemoDay fixes the house on one day.
func (q Q) SetDemoDay(ctx context.Context, day time.Time) error {
	_, err := q.exec(ctx, `update house set demo_day = $1`, day)
	return err
}

// Genus is a genus with what it does to take.
type Genus struct {
	Key         string  `db:"key"`
	Name        string  `db:"name"`
	Latin       string  `db:"latin"`
	SeasonGroup string  `db:"season_group"`
	LogitShift  float64 `db:"logit_shift"`
	CutNote     string  `db:"cut_note"`
	UsualWay    string  `db:"usual_way"` // graft or summer bud
}

// Genera lists every genus by name.
func (q Q) Genera(ctx context.Context) (gs []Genus, err error) {
	err = q.all(ctx, &gs, `select * from genus order by name`)
	return gs, err
}

// Genus finds one.
func (q Q) Genus(ctx context.Context, key string) (g Genus, err error) {
	err = q.get(ctx, &g, `select * from genus where key = $1`, key)
	return g, err
}

// Technique is a technique's row; states are words with commas between.
type Technique struct {
	Key          string  `db:"key"`
	Name         string  `db:"name"`
	Sort         int     `db:"sort"`
	StockStates  string  `db:"stock_states"`
	WoodStates   string  `db:"wood_states"`
	StockMinMM   float64 `db:"stock_min_mm"`
	StockMaxMM   float64 `db:"stock_max_mm"`
	RatioMin     float64 `db:"ratio_min"`
	RatioMax     float64 `db:"ratio_max"`
	WiderAllowed bool    `db:"wider_allowed"`
	Cut          string  `db:"cut"`
	BudsMin      int     `db:"buds_min"`
	BudsMax      int     `db:"buds_max"`
	GoodFor      string  `db:"good_for"`
	RatePerHour  int     `db:"rate_per_hour"`
	PriorTake    float64 `db:"prior_take"`
	PriorWeight  int     `db:"prior_weight"`
	Slope        float64 `db:"slope"`
	HandNote     string  `db:"hand_note"`
	InUse        bool    `db:"in_use"`
}

// Techniques lists all of them in the house's order.
func (q Q) Techniques(ctx context.Context) (ts []Technique, err error) {
	err = q.all(ctx, &ts, `select * from technique order by sort`)
	return ts, err
}

// SetTechnique keeps whether a technique is in use, and its limits.
func (q Q) SetTechnique(ctx context.Context, key string, inUse bool, minMM, maxMM, ratioMin float64) error {
	_, err := q.exec(ctx, `update technique set in_use = $2, stock_min_mm = $3, stock_max_mm = $4, ratio_min = $5 where key = $1`,
		key, inUse, minMM, maxMM, ratioMin)
	return err
}

// HouseWay is a question on which growers differ, and this house's answer.
type HouseWay struct {
	Key      string `db:"key"`
	Sort     int    `db:"sort"`
	Question string `db:"question"`
	Options  string `db:"options"`
	Chosen   string `db:"chosen"`
	Why      string `db:"why"`
}

// HouseWays lists the questions in order.
func (q Q) HouseWays(ctx context.Context) (ws []HouseWay, err error) {
	err = q.all(ctx, &ws, `select * from house_way order by sort`)
	return ws, err
}

// HouseWay gives the house's answer to one question.
func (q Q) HouseWay(ctx context.Context, key string) (w HouseWay, err error) {
	err = q.get(ctx, &w, `select * from house_way where key = $1`, key)
	return w, err
}

// ChooseWay keeps a new answer.
func (q Q) ChooseWay(ctx context.Context, key, chosen string) error {
	_, err := q.exec(ctx, `update house_way set chosen = $2 where key = $1`, key, chosen)
	return err
}

// Tie is what a union is bound with.
type Tie struct {
	Key   string `db:"key"`
	Name  string `db:"name"`
	Untie string `db:"untie"`
	Weeks *int   `db:"weeks"`
}

// Ties lists them.
func (q Q) Ties(ctx context.Context) (ts []Tie, err error) {
	err = q.all(ctx, &ts, `select * from tie order by name`)
	return ts, err
}

// HealingWay is how a union is kept while it heals.
type HealingWay struct {
	Key     string   `db:"key"`
	Name    string   `db:"name"`
	LowC    *float64 `db:"low_c"`
	HighC   *float64 `db:"high_c"`
	DaysMin int      `db:"days_min"`
	DaysMax int      `db:"days_max"`
}

// HealingWays lists them.
func (q Q) HealingWays(ctx context.Context) (hs []HealingWay, err error) {
	err = q.all(ctx, &hs, `select * from healing_way order by days_min, key`)
	return hs, err
}

// Section is a section or species by which a genus' varieties and stocks are
// told apart.
type Section struct {
	Genus string `db:"genus"`
	Name  string `db:"name"`
	Sort  int    `db:"sort"`
}

// Sections lists every genus' sections, in order.
func (q Q) Sections(ctx context.Context) (ss []Section, err error) {
	err = q.all(ctx, &ss, `select * from genus_section order by genus, sort`)
	return ss, err
}

// SetSection notes the section of a variety, or of a stock type.
func (q Q) SetSection(ctx context.Context, stock bool, id int64, section string) error {
	table := "variety"
	if stock {
		table = "stock_type"
	}
	_, err := q.exec(ctx, `update `+table+` set section = $2 where id = $1`, id, section)
	return err
}

// PairRow is how two genera get on.
type PairRow struct {
	Scion   string `db:"scion_genus"`
	Stock   string `db:"stock_genus"`
	Verdict string `db:"verdict"`
	Note    string `db:"note"`
}

// Pairs lists what is known of pairs of genera.
func (q Q) Pairs(ctx context.Context) (ps []PairRow, err error) {
	err = q.all(ctx, &ps, `select scion_genus, stock_genus, verdict, note from compatibility`)
	return ps, err
}

// SectionPairRow is how two sections get on.
type SectionPairRow struct {
	PairRow
	ScionSection string `db:"scion_section"`
	StockSection string `db:"stock_section"`
}

// SectionPairs lists what is known of pairs of sections.
func (q Q) SectionPairs(ctx context.Context) (ps []SectionPairRow, err error) {
	err = q.all(ctx, &ps, `select scion_genus, scion_section, stock_genus, stock_section, verdict, note from section_pair`)
	return ps, err
}

// Change is one line of the record of changes.
type Change struct {
	ID        int64     `db:"id"`
	At        time.Time `db:"at"`
	PersonID  *int64    `db:"person_id"`
	Person    string    `db:"person"`
	RequestID string    `db:"request_id"`
	What      string    `db:"what"`
	Ref       string    `db:"ref"`
	Doing     string    `db:"doing"`
	Before    string    `db:"before"` // JSON, or ""
	After     string    `db:"after"`
	Address   string    `db:"address"` // from where it came, "" not known
}

// NewChange is a change with what stood before and after; either may be nil.
type NewChange struct {
	Change
	Before, After any
}

// AddChanges keeps who changed what, all in one statement.
func (q Q) AddChanges(ctx context.Context, cs ...NewChange) error {
	if len(cs) == 0 {
		return nil
	}
	asJSON := func(v any) (*string, error) {
		if v == nil {
			return nil, nil
		}
		b, err := json.Marshal(v)
		out := string(b)
		return &out, err
	}
	n := len(cs)
	at, by, requests := make([]time.Time, n), make([]*int64, n), make([]string, n)
	from := make([]string, n)
	what, ref, doing, before, after := make([]string, n), make([]string, n), make([]string, n), make([]*string, n), make([]*string, n)
	for i, c := range cs {
		at[i], by[i], requests[i], what[i], ref[i], doing[i], from[i] = c.At, c.PersonID, c.RequestID, c.What, c.Ref, c.Doing, c.Address
		var err error
		if before[i], err = asJSON(c.Before); err != nil {
			return err
		}
		if after[i], err = asJSON(c.After); err != nil {
			return err
		}
	}
	_, err := q.exec(ctx, `insert into change_record (at, person_id, request_id, what, ref, doing, before, after, address)
		select a, b, c, d, e, f, g::jsonb, h::jsonb, i from unnest($1::timestamptz[], $2::bigint[], $3::text[], $4::text[], $5::text[],
		$6::text[], $7::text[], $8::text[], $9::text[]) u(a, b, c, d, e, f, g, h, i)`,
		at, by, requests, what, ref, doing, before, after, from)
	return err
}

// Changes lists the record from the newest down, 50 at a time; before is the
// id to go on from, or 0.
func (q Q) Changes(ctx context.Context, s Sieve, before int64, limit int) (cs []Change, err error) {
	err = q.all(ctx, &cs, `select c.id, c.at, c.person_id, c.request_id, c.what, c.ref, c.doing, c.address, coalesce(c.before::text, '')
		as before,
			coalesce(c.after::text, '') as after, coalesce(p.name, '') as person
		from change_record c left join person p on p.id = c.person_id
		where ($1 = 0 or c.id < $1) and (cardinality($2::text[]) = 0 or`+found("$2", `c.what, c.ref, c.doing, p.name, c.address`)+`)
		order by c.id desc limit $3`, before, s.words(), limit)
	return cs, err
}

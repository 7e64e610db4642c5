package store

import (
	"context"
	"time"
)

// LabelPrint is what the label printer was sent.
type LabelPrint struct {
	ID       int64     `db:"id"`
	Title    string    `db:"title"`
	Labels   int       `db:"labels"`
	PDF      []byte    `db:"pdf"`
	PersonID int64     `db:"person_id"`
	Person   string    `db:"person"`
	At       time.Time `db:"at"`
}

// AddLabelPrint keeps what was sent.
func (q Q) AddLabelPrint(ctx context.Context, p LabelPrint) (int64, error) {
	return q.insert(
		ctx,
		`insert into label_print (title, labels, pdf, person_id, at) values (:title, :labels, :pdf, :person_id, :at) returning id`,
		p,
	)
}

// LabelPrints lists the last ones without their PDFs, newest first.
func (q Q) LabelPrints(ctx context.Context) (ps []LabelPrint, err error) {
	err = q.all(
		ctx,
		&ps,
		`select l.id, l.title, l.labels, l.person_id, l.at, p.name as person from label_print l join person p on p.id = l.person_id
			order by l.id desc limit 30`,
	)
	return ps, err
}

// LabelPrint gives one with its PDF.
func (q Q) LabelPrint(ctx context.Context, id int64) (p LabelPrint, err error) {
	err = q.get(ctx, &p, `select l.*, p.name as person from label_print l join person p on p.id = l.person_id where l.id = $1`, id)
	return p, err
}

// AllReadings lists every caliper reading, by lot, day and number.
func (q Q) AllReadings(ctx context.Context, each func(lot string, on time.Time, no int, mm float64) error) error {
	rows, err := q.rows(
		ctx,
		`select l.code, r.taken_on, r.no, r.mm from caliper_reading r join stock_lot l on l.id = r.lot_id order by l.code, r.taken_on,
			r.no`,
	)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var lot string
		var on time.Time
		var no int
		var mm float64
		if err := rows.Scan(&lot, &on, &no, &mm); err != nil {
			return err
		}
		if err := each(lot, on, no, mm); err != nil {
			return err
		}
	}
	return rows.Err()
}

// AllColdReadings lists every store reading, by store and time.
func (q Q) AllColdReadings(ctx context.Context, each func(place string, at time.Time, c float64) error) error {
	rows, err := q.rows(
		ctx,
		`select p.name, r.at, r.c from store_reading r join store_place p on p.id = r.place_id order by lower(p.name), r.at`,
	)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var place string
		var at time.Time
		var c float64
		if err := rows.Scan(&place, &at, &c); err != nil {
			return err
		}
		if err := each(place, at, c); err != nil {
			return err
		}
	}
	return rows.Err()
}

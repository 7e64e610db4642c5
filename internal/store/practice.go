package store

import (
	"context"
	"time"
)

// PracticeSheet is cuts that somebody made to learn, apart from what is made.
type PracticeSheet struct {
	ID            string    `db:"id"`
	PersonID      int64     `db:"person_id"`
	Person        string    `db:"person"`
	On            time.Time `db:"on_day"`
	Technique     string    `db:"technique"`
	TechniqueName string    `db:"technique_name"`
	Cuts          int       `db:"cuts"`
	Flat          int       `db:"flat"`
	Fit           int       `db:"fit"` // of two that met
	Wood          string    `db:"wood"`
	Note          string    `db:"note"`
	ByID          int64     `db:"by_id"`
	At            time.Time `db:"at"`
}

// PracticeSheets lists somebody's, the oldest first; 0 for everybody's.
func (q Q) PracticeSheets(ctx context.Context, person int64) (ps []PracticeSheet, err error) {
	err = q.all(ctx, &ps, `select s.id::text, s.person_id, p.name as person, s.on_day, s.technique, k.name as technique_name, s.cuts,
		s.flat, s.fit, s.wood,
		s.note, s.by_id, s.at from practice_sheet s join person p on p.id = s.person_id join technique k on k.key = s.technique
		where s.undone_at is null and ($1 = 0 or s.person_id = $1) order by s.on_day, s.at`, person)
	return ps, err
}

// AddPracticeSheet keeps one; sent twice it is there once.
func (q Q) AddPracticeSheet(ctx context.Context, s PracticeSheet) error {
	return q.named(ctx, `insert into practice_sheet (id, person_id, on_day, technique, cuts, flat, fit, wood, note, by_id, at)
		values (:id, :person_id, :on_day, :technique, :cuts, :flat, :fit, :wood, :note, :by_id, :at) on conflict (id) do nothing`, s)
}

// UndoPracticeSheet takes one back, of a person; 0 for anybody's.
func (q Q) UndoPracticeSheet(ctx context.Context, id string, person int64, at time.Time) (n int64, err error) {
	return q.exec(ctx, `update practice_sheet set undone_at = $3 where id = $1 and undone_at is null and ($2 = 0 or person_id = $2)`, id,
		person, at)
}

// Guess is how somebody laid a scion on the drawn stock.
type Guess struct {
	ID        string    `db:"id"`
	PersonID  int64     `db:"person_id"`
	Technique string    `db:"technique"`
	StockMM   float64   `db:"stock_mm"`
	WoodMM    float64   `db:"wood_mm"`
	GuessMM   float64   `db:"guess_mm"` // from the centre
	BestMM    float64   `db:"best_mm"`
	Score     int       `db:"score"` // in a hundred of the contact that can be had
	At        time.Time `db:"at"`
}

// Guesses lists somebody's newest, the newest first.
func (q Q) Guesses(ctx context.Context, person int64, n int) (gs []Guess, err error) {
	err = q.all(ctx, &gs, `select id::text, person_id, technique, stock_mm, wood_mm, guess_mm, best_mm, score, at from practice_guess
		where person_id = $1 order by at desc, id limit $2`, person, n)
	return gs, err
}

// AddGuess keeps one; sent twice it is there once.
func (q Q) AddGuess(ctx context.Context, g Guess) error {
	return q.named(ctx, `insert into practice_guess (id, person_id, technique, stock_mm, wood_mm, guess_mm, best_mm, score, at)
		values (:id, :person_id, :technique, :stock_mm, :wood_mm, :guess_mm, :best_mm, :score, :at) on conflict (id) do nothing`, g)
}

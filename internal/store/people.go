package store

import (
	"context"
	"time"
)

// Person is somebody who signs in.
type Person struct {
	ID           int64      `db:"id"`
	Name         string     `db:"name"`
	SignIn       string     `db:"sign_in"`
	Role         string     `db:"role"`
	PasswordHash *string    `db:"password_hash"`
	PINHash      *string    `db:"pin_hash"`
	WrongTries   int        `db:"wrong_tries"`
	WaitUntil    *time.Time `db:"wait_until"`
	LeftOn       *time.Time `db:"left_on"`
	MadeAt       time.Time  `db:"made_at"`
	HoursSet     bool       `db:"hours_set"`
	SkillsSet    bool       `db:"skills_set"`
	KeysOff      bool       `db:"keys_off"` // keys pressed alone do nothing
	Tongue       string     `db:"tongue"`   // of their own page; "" is English
}

// People lists everybody, those who have left last.
func (q Q) People(ctx context.Context) (ps []Person, err error) {
	err = q.all(ctx, &ps, `select * from person order by left_on nulls first, name`)
	return ps, err
}

// PersonBySignIn finds by the name typed at the door, in lower case.
func (q Q) PersonBySignIn(ctx context.Context, signIn string) (p Person, err error) {
	err = q.get(ctx, &p, `select * from person where sign_in = $1`, signIn)
	return p, err
}

// Person finds by id.
func (q Q) Person(ctx context.Context, id int64) (p Person, err error) {
	err = q.get(ctx, &p, `select * from person where id = $1`, id)
	return p, err
}

// AddPerson keeps a new person and gives the id.
func (q Q) AddPerson(ctx context.Context, p Person) (int64, error) {
	return q.insert(ctx, `insert into person (name, sign_in, role, password_hash, pin_hash)
		values (:name, :sign_in, :role, :password_hash, :pin_hash) returning id`, p)
}

// UpdatePerson keeps a person's name, role, secrets and leaving day.
func (q Q) UpdatePerson(ctx context.Context, p Person) error {
	return q.named(ctx, `update person set name = :name, role = :role, password_hash = :password_hash,
		pin_hash = :pin_hash, left_on = :left_on where id = :id`, p)
}

// SetKeys turns somebody's single keys off, or on.
func (q Q) SetKeys(ctx context.Context, id int64, off bool) error {
	_, err := q.exec(ctx, `update person set keys_off = $2 where id = $1`, id, off)
	return err
}

// SetTongue says in which tongue somebody reads their own page.
func (q Q) SetTongue(ctx context.Context, id int64, tongue string) error {
	_, err := q.exec(ctx, `update person set tongue = $2 where id = $1`, id, tongue)
	return err
}

// Propagators is how many can sign in as propagator.
func (q Q) Propagators(ctx context.Context) (n int, err error) {
	err = q.get(ctx, &n, `select count(*) from person where role = 'propagator' and left_on is null`)
	return n, err
}

package store

import (
	"context"
	"errors"
	"time"
)

// Try is a try at the door.
type Try struct {
	Kind    string // password, pin, code
	Who     string // the name typed, or whose PIN
	Address string // from where
}

// BeginTry counts a try as wrong before it is weighed, so that many at once are all
// counted; what turns out right is forgotten by RightTry. After most wrong ones the door
// is shut, each time twice as long as the time before, from first to longest. It gives
// false, and until when, where it is shut.
func (q Q) BeginTry(ctx context.Context, t Try, most int, first, longest time.Duration, now time.Time) (open bool, until time.Time,
	err error) {
	var row struct {
		Wrong int        `db:"wrong"`
		Until *time.Time `db:"wait_until"`
	}
	err = q.get(ctx, &row, `insert into door_try as d (kind, who, address, wrong, last_at) values ($1, $2, $3, 1, $4)
		on conflict (kind, who, address) do update set
			wrong = case when d.last_at < $4::timestamptz - interval '1 day' then 1 else d.wrong + 1 end, last_at = $4,
			wait_until = case when d.last_at < $4::timestamptz - interval '1 day' or d.wrong + 1 < $5 then null
				else $4::timestamptz + least($7::float8, $6::float8 * 2 ^ least(d.wrong + 1 - $5, 20)) * interval '1 second' end
		where d.wait_until is null or d.wait_until <= $4
		returning wrong, wait_until`, t.Kind, t.Who, t.Address, now, most, first.Seconds(), longest.Seconds())
	if errors.Is(err, ErrNotFound) {
		err = q.get(ctx, &until, `select coalesce(wait_until, $4) from door_try where kind = $1 and who = $2 and address = $3`,
			t.Kind, t.Who, t.Address, now)
		return false, until, err
	}
	return true, until, err
}

// RightTry forgets the wrong tries before a right one.
func (q Q) RightTry(ctx context.Context, t Try) error {
	_, err := q.exec(ctx, `delete from door_try where kind = $1 and who = $2 and address = $3`, t.Kind, t.Who, t.Address)
	return err
}

// ForgetTries forgets all wrong tries for some, wherever they were made, and those that
// are long over.
func (q Q) ForgetTries(ctx context.Context, who []string, before time.Time) error {
	_, err := q.exec(ctx, `delete from door_try where who = any($1) or last_at < $2`, who, before)
	return err
}

// Shut says for whom the door is shut now.
func (q Q) Shut(ctx context.Context, now time.Time) (who []string, err error) {
	err = q.all(ctx, &who, `select distinct who from door_try where wait_until > $1`, now)
	return who, err
}

// AddDoorCode keeps the hash of a code and ends those that a person had before.
func (q Q) AddDoorCode(ctx context.Context, hash []byte, person int64, by *int64, at, until time.Time) error {
	_, err := q.exec(ctx, `with old as (update door_code set until = $4 where person_id = $2 and used_at is null and until > $4)
		insert into door_code (hash, person_id, made_by, made_at, until) values ($1, $2, $3, $4, $5)`, hash, person, by, at, until)
	return err
}

// UseDoorCode uses a code up and gives whose it is; ErrNotFound: there is none, or it is
// over.
func (q Q) UseDoorCode(ctx context.Context, hash []byte, at time.Time) (person int64, err error) {
	err = q.get(ctx, &person, `update door_code set used_at = $2 where hash = $1 and used_at is null and until > $2 returning person_id`,
		hash, at)
	return person, err
}

// DoorCode gives whose a code is, without using it up.
func (q Q) DoorCode(ctx context.Context, hash []byte, at time.Time) (person int64, err error) {
	err = q.get(ctx, &person, `select person_id from door_code where hash = $1 and used_at is null and until > $2`, hash, at)
	return person, err
}

// Session is a device on which somebody is signed in, or a tablet that is open.
type Session struct {
	Token    string    `db:"token"` // its hash
	PersonID *int64    `db:"person_id"`
	Person   string    `db:"person"`
	TabletBy *int64    `db:"tablet_by"`
	OpenedBy string    `db:"opened_by"`
	ByPIN    bool      `db:"by_pin"`
	Address  string    `db:"address"`
	Agent    string    `db:"agent"`
	MadeAt   time.Time `db:"made_at"`
	SeenAt   time.Time `db:"seen_at"`
}

// Sessions lists those that have not ended, of one person or, with 0, of all.
func (q Q) Sessions(ctx context.Context, person int64) (ss []Session, err error) {
	err = q.all(ctx, &ss, `select s.token, s.person_id, coalesce(p.name, '') as person, s.tablet_by, coalesce(o.name, '') as opened_by,
		s.by_pin,
			s.address, s.agent, s.made_at, s.seen_at
		from sessions s left join person p on p.id = s.person_id left join person o on o.id = s.tablet_by
		where s.expiry > now() and (s.person_id is not null or s.tablet_by is not null)
		and ($1 = 0 or s.person_id = $1 or s.tablet_by = $1) order by s.seen_at desc`, person)
	return ss, err
}

// EndSessions ends a person's sessions, and the tablets that they opened, but for one.
func (q Q) EndSessions(ctx context.Context, person int64, but string) error {
	_, err := q.exec(ctx, `delete from sessions where (person_id = $1 or tablet_by = $1) and token <> $2`, person, but)
	return err
}

// EndSession ends one, of a person or, with 0, of anybody.
func (q Q) EndSession(ctx context.Context, token string, of int64) (int64, error) {
	return q.exec(ctx, `delete from sessions where token = $1 and ($2 = 0 or person_id = $2 or tablet_by = $2)`, token, of)
}

package store

import (
	"context"
	"time"
)

// Tool is something that is cut with, told apart from others like it by its name.
type Tool struct {
	ID     int64      `db:"id"`
	Name   string     `db:"name"`
	GoneOn *time.Time `db:"gone_on"` // not in use any more
	With   string     `db:"with_whom"`
	Mine   bool       `db:"mine"` // with the person who was asked for
}

// ToolHold is that somebody cut with a tool from a time on.
type ToolHold struct {
	ID     int64     `db:"id"`
	Person string    `db:"person"`
	Tool   string    `db:"tool"` // "" is none that is noted
	At     time.Time `db:"at"`
}

// Tools lists the tools by name, with who cuts with each now.
func (q Q) Tools(ctx context.Context, person int64) (ts []Tool, err error) {
	err = q.all(ctx, &ts, `select t.id, t.name, t.gone_on, coalesce(string_agg(p.name, ', ' order by p.name), '') as with_whom,
		coalesce(bool_or(n.person_id = $1), false) as mine from tool t
		left join (select distinct on (person_id) person_id, tool_id from tool_hold where undone_at is null order by person_id, at desc,
		id desc) n
			on n.tool_id = t.id left join person p on p.id = n.person_id group by t.id order by t.gone_on is not null, lower(t.name)`,
		person)
	return ts, err
}

// AddTool keeps a new tool.
func (q Q) AddTool(ctx context.Context, name string, at time.Time) (int64, error) {
	var id int64
	err := q.get(ctx, &id, `insert into tool (name, made_at) values ($1, $2) returning id`, name, at)
	return id, err
}

// ToolByID finds one.
func (q Q) ToolByID(ctx context.Context, id int64) (t Tool, err error) {
	err = q.get(ctx, &t, `select id, name, gone_on, '' as with_whom, false as mine from tool where id = $1`, id)
	return t, err
}

// SetToolGone takes a tool out of use on a day; nil brings it back.
func (q Q) SetToolGone(ctx context.Context, id int64, on *time.Time) error {
	_, err := q.exec(ctx, `update tool set gone_on = $2 where id = $1`, id, on)
	return err
}

// HoldTool notes that somebody cuts with a tool from a time on; 0 with none that is noted.
func (q Q) HoldTool(ctx context.Context, person, tool, by int64, at time.Time) error {
	_, err := q.exec(ctx, `insert into tool_hold (person_id, tool_id, at, noted_by) values ($1, nullif($2, 0), $3, $4)`, person, tool,
		at, by)
	return err
}

// ToolHolds lists what was noted last, the newest first.
func (q Q) ToolHolds(ctx context.Context, limit int) (hs []ToolHold, err error) {
	err = q.all(ctx, &hs, `select h.id, p.name as person, coalesce(t.name, '') as tool, h.at from tool_hold h join person p on p.id =
		h.person_id
		left join tool t on t.id = h.tool_id where h.undone_at is null order by h.at desc, h.id desc limit $1`, limit)
	return hs, err
}

// UndoToolHold takes back that somebody cut with a tool, and gives what it was.
func (q Q) UndoToolHold(ctx context.Context, id int64, at time.Time) (h ToolHold, err error) {
	err = q.get(ctx, &h, `with gone as (update tool_hold set undone_at = $2 where id = $1 and undone_at is null returning id, person_id,
		tool_id, at)
		select g.id, p.name as person, coalesce(t.name, '') as tool, g.at from gone g join person p on p.id = g.person_id
		left join tool t on t.id = g.tool_id`, id, at)
	return h, err
}

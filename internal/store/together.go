package store

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"
)

// Together keeps taps of several tags in one transaction of two round trips. The
// first begins it, holds the tags in the order of their ids, and then reads
// those of the taps that are known; decide says what to keep of them, and with
// which sums; the second writes and commits. Nothing kept: it is rolled back.
func (d *DB) Together(ctx context.Context, codes, ids []string, decide func(tags []TagState, known []Tally) ([]Tally, []TagState)) error {
	conn, err := d.Conn(ctx)
	if err != nil {
		return fmt.Errorf("reaching the database: %w", err)
	}
	defer conn.Close()
	return conn.Raw(func(c any) error {
		pg := c.(*stdlib.Conn).Conn()
		err := together(ctx, pg, codes, ids, decide)
		if pg.PgConn().TxStatus() != 'I' { // it failed, or there was nothing to keep
			if _, back := pg.Exec(context.WithoutCancel(ctx), `rollback`); back != nil && err == nil {
				err = back
			}
		}
		return mapped(err)
	})
}

func together(ctx context.Context, pg *pgx.Conn, codes, ids []string, decide func([]TagState, []Tally) ([]Tally, []TagState)) error {
	var first pgx.Batch
	first.Queue(`begin`)
	var tags []TagState
	first.Queue(tagState+`where code = any($1) order by id for no key update`, codes).Query(func(r pgx.Rows) (err error) {
		tags, err = pgx.CollectRows(r, pgx.RowToStructByName[TagState])
		return err
	})
	var known []Tally
	first.Queue(talliesByID, ids).Query(func(r pgx.Rows) (err error) {
		known, err = pgx.CollectRows(r, pgx.RowToStructByName[Tally])
		return err
	})
	if err := pg.SendBatch(ctx, &first).Close(); err != nil {
		return fmt.Errorf("holding tags: %w", err)
	}
	ys, ts := decide(tags, known)
	if len(ys) == 0 {
		return nil
	}
	var second pgx.Batch
	second.Queue(keepTaps, tapArgs(ys, ts)...)
	second.Queue(`commit`)
	if err := pg.SendBatch(ctx, &second).Close(); err != nil {
		return fmt.Errorf("keeping taps: %w", err)
	}
	return nil
}

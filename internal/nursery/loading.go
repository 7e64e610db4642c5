package nursery

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"unionknot/internal/exchange"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Loading is a file's rows sorted into new, known and bad.
type Loading struct {
	Same    int
	Bad     []exchange.Bad
	BadRows int
	Seen    map[string]int // the line of each code
	Gone    func(n int)    // told how many rows were gone through, where somebody wants to know
	batches []batch
}

// keepAtOnce is how many rows are added at a time: a few statements for all of them.
const keepAtOnce = 500

// batch is the rows of one sort that a file would add. rows is how many there are, key
// names one for ever, and keep adds some of them.
type batch interface {
	rows() int
	key(i int) string
	line(i int) int
	keep(ctx context.Context, q store.Q, a Actor, from, to int) error
}

type batchOf[T any] struct {
	lines []int
	keys  []string
	all   []T
	add   func(ctx context.Context, q store.Q, a Actor, rows []T) error
}

func (b *batchOf[T]) rows() int        { return len(b.all) }
func (b *batchOf[T]) key(i int) string { return b.keys[i] }
func (b *batchOf[T]) line(i int) int   { return b.lines[i] }
func (b *batchOf[T]) keep(ctx context.Context, q store.Q, a Actor, from, to int) error {
	return b.add(ctx, q, a, b.all[from:to])
}

// Batch begins a sort of rows that a file adds. add keeps some of them, in few statements;
// the function it gives takes one in, with its line and the key by which it is found again.
func Batch[T any](l *Loading, add func(ctx context.Context, q store.Q, a Actor, rows []T) error) func(line int, key string, row T) {
	b := &batchOf[T]{add: add}
	l.batches = append(l.batches, b)
	return func(line int, key string, row T) {
		b.lines, b.keys, b.all = append(b.lines, line), append(b.keys, key), append(b.all, row)
	}
}

// Rows goes through a table's rows, until somebody ends it.
func (l *Loading) Rows(ctx context.Context, t *exchange.Table, row func(c *exchange.Cells) error) error {
	for i, r := range t.Rows {
		if err := row(&exchange.Cells{Row: r}); err != nil {
			return err
		}
		if i%keepAtOnce == 0 || i == len(t.Rows)-1 {
			if err := ctx.Err(); err != nil {
				return err
			}
			if l.Gone != nil {
				l.Gone(i + 1)
			}
		}
	}
	return nil
}

// Codes gives a column's codes, each once, to ask for what is here already all at once.
func Codes(t *exchange.Table, column string) []string {
	seen := map[string]bool{}
	var out []string
	for _, r := range t.Rows {
		if c := CleanCode(r.Cell(column)); c != "" && !seen[c] {
			seen[c] = true
			out = append(out, c)
		}
	}
	return out
}

// News is how many rows would be added.
func (l *Loading) News() (n int) {
	for _, b := range l.batches {
		n += b.rows()
	}
	return n
}

// Keys are what the rows that are added are found again by.
func (l *Loading) Keys() []string {
	out := make([]string, 0, l.News())
	for _, b := range l.batches {
		for i := range b.rows() {
			out = append(out, b.key(i))
		}
	}
	return out
}

// Keep adds all that is new, some hundred rows at a time, and says how far it is.
func (l *Loading) Keep(ctx context.Context, q store.Q, a Actor) error {
	done := 0
	for _, b := range l.batches {
		for from := 0; from < b.rows(); from += keepAtOnce {
			to := min(from+keepAtOnce, b.rows())
			if err := b.keep(ctx, q, a, from, to); errors.Is(err, store.ErrTaken) {
				return Problem{Says: words.AddedMeanwhile(b.line(from), b.line(to-1))}
			} else if err != nil {
				return fmt.Errorf("lines %d to %d: %w", b.line(from), b.line(to-1), err)
			}
			if done += to - from; l.Gone != nil {
				l.Gone(done)
			}
		}
	}
	return nil
}

// BadKept is how many bad cells are told apart; further bad rows are only counted.
const BadKept = 200

// Spoil notes a row that cannot be loaded, with what is wrong in it.
func (l *Loading) Spoil(c *exchange.Cells) {
	l.BadRows++
	l.Bad = append(l.Bad, c.Bads[:min(len(c.Bads), max(0, BadKept-len(l.Bad)))]...)
}

// Twice notes a code that an earlier line has too.
func (l *Loading) Twice(c *exchange.Cells, key string) {
	if line, ok := l.Seen[key]; ok {
		c.Spoil("code", words.XStandsOnLineN, key, line)
	}
	l.Seen[key] = c.Line
}

// columnOf names a form's field by the file's column.
var columnOf = map[string]string{"stock_type": "stock", "received": "stems", "grade_low": "grade_low_mm"}

// SpoilAll notes a form's problems at the columns that they are about: each but those that
// a cell which could not be read explains.
func SpoilAll(c *exchange.Cells, ps Problems) {
	unread := slices.Clone(c.Bads)
	for _, p := range ps {
		col := p.Field
		if columnOf[col] != "" {
			col = columnOf[col]
		}
		if !slices.ContainsFunc(unread, func(b exchange.Bad) bool { return b.Column == col }) {
			c.Spoil(col, "%s", p.Says)
		}
	}
}

// Difference is one thing that a row has otherwise than what is here.
type Difference struct {
	Column     string
	Here, File any
}

// Differs compares a row with what is here already. Fields come in threes: name, here, file.
func Differs(fields ...any) (ds []Difference) {
	for i := 0; i+2 < len(fields); i += 3 {
		here, file := fields[i+1], fields[i+2]
		if t, ok := here.(time.Time); ok {
			here, file = t.Format(time.DateOnly), file.(time.Time).Format(time.DateOnly)
		}
		if here != file {
			ds = append(ds, Difference{fields[i].(string), here, file})
		}
	}
	return ds
}

// Sort puts a row where it belongs: bad, known, or to be added. here says whether it is here
// already, and differs in what it then differs.
func (l *Loading) Sort(c *exchange.Cells, here bool, differs func() []Difference, add func()) {
	if len(c.Bads) == 0 && here {
		ds := differs()
		if len(ds) > 0 {
			c.Spoil("code", "%s", words.CodeHere)
		}
		for _, d := range ds {
			c.Spoil(d.Column, "%s", words.OtherHere(d.Here, d.File))
		}
	}
	switch {
	case len(c.Bads) > 0:
		l.Spoil(c)
	case here:
		l.Same++
	default:
		add()
	}
}

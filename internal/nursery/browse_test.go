package nursery_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/files"
	"unionknot/internal/store"
)

// TestEveryListIsGoneThroughByKey: sorted by whichever column, either way, each row comes once
// and none is left out, and the sums are those of all rows that pass.
func TestEveryListIsGoneThroughByKey(t *testing.T) {
	h := demoHouse(t)
	from := time.Date(2027, 2, 1, 0, 0, 0, 0, time.Local)
	for _, k := range files.HistoryKinds {
		t.Run(k.Key, func(t *testing.T) {
			b := files.Browse{From: from}
			if k.Key == "store-readings" || k.Key == "taps" {
				b.From = time.Date(2027, 2, 23, 0, 0, 0, 0, time.Local)
			}
			first, err := h.Browse(ctx, h.maud, k.Key, b)
			require.NoError(t, err)
			if first.Count == 0 {
				b.From = time.Time{}
				first, err = h.Browse(ctx, h.maud, k.Key, b)
				require.NoError(t, err)
			}
			require.Positive(t, first.Count, "the demo has some")
			want := map[string]int{}
			n := 0
			require.NoError(t, h.DB.Q().History(ctx, k.Key, b.From, time.Time{}, func([]string) error { return nil },
				func(cells []any) error {
					want[fmt.Sprint(cells)]++
					n++
					return nil
				}))
			assert.Equal(t, n, first.Count)
			for i, name := range first.Names {
				if first.Count > 200 && i > 2 {
					break // large lists: by a few columns
				}
				for _, desc := range []bool{false, true} {
					got := map[string]int{}
					b.Sort, b.Desc, b.After = name, desc, ""
					for {
						p, err := h.Browse(ctx, h.maud, k.Key, b)
						require.NoError(t, err)
						for _, r := range p.Rows {
							got[fmt.Sprint(r)]++
						}
						if len(p.Rows) < nursery.PageSize {
							break
						}
						b.After = p.Keys[len(p.Keys)-1]
					}
					require.Equal(t, want, got, "by %s, falling %v", name, desc)
				}
			}
		})
	}
	tags, err := h.Browse(ctx, h.eye, "tags", files.Browse{Find: "ansel lanternjaw", Columns: []string{"tag", "tied"}})
	require.NoError(t, err)
	assert.Equal(t, []string{"tag", "tied"}, tags.Shown)
	assert.Equal(t, h.sum(`select sum(tied) from tag t join person p on p.id = t.worker_id join batch b on b.id = t.batch_id
		join orders o on o.id = b.order_id join variety v on v.id = o.variety_id where p.name ilike '%ansel%' and v.name = 'Lanternjaw'`),
		int(tags.Sums["tied"]))
	_, err = h.Browse(ctx, h.maud, "tags", files.Browse{After: "gone.1"})
	assert.ErrorIs(t, err, store.ErrAfter)
	_, err = h.Browse(ctx, h.eye, "people", files.Browse{})
	assert.ErrorIs(t, err, nursery.ErrNotAllowed)
	_, err = h.Browse(ctx, h.maud, "secrets", files.Browse{})
	assert.ErrorIs(t, err, nursery.ErrNotFound)
	_, err = h.Browse(ctx, h.maud, "tags", files.Browse{From: from, To: from.AddDate(0, 0, -2)})
	isProblem(t, err, "before the first")

	// The file holds what is shown, all of it, in its order.
	var out bytes.Buffer
	b := files.Browse{Find: "lanternjaw", Sort: "tied", Desc: true, Columns: []string{"tag", "tied", "worker"}}
	require.NoError(t, h.ExportBrowsed(ctx, h.maud, "tags", b, exchange.CSV, &out))
	rows, err := csv.NewReader(strings.NewReader(strings.TrimPrefix(out.String(), "\ufeff"))).ReadAll()
	require.NoError(t, err)
	p, err := h.Browse(ctx, h.maud, "tags", b)
	require.NoError(t, err)
	assert.Len(t, rows, p.Count+1)
	assert.Equal(t, []string{"tag", "worker", "tied"}, rows[0])
	assert.Equal(t, fmt.Sprint(p.Rows[0][0]), rows[1][0])
}

// TestPilesAreSorted: lots and bundles by whichever sort, page by page, each once.
func TestPilesAreSorted(t *testing.T) {
	h := demoHouse(t)
	for _, sort := range store.LotSorts {
		var got []string
		for after := int64(0); ; {
			ls, err := h.DB.Q().LotPiles(ctx, store.Sieve{Sort: sort}, after, 7)
			require.NoError(t, err)
			for _, l := range ls {
				got = append(got, l.Code)
				after = l.ID
			}
			if len(ls) < 7 {
				break
			}
		}
		assert.Len(t, got, h.sum(`select count(*) from stock_lot`), sort)
		seen := map[string]bool{}
		for _, c := range got {
			assert.False(t, seen[c], "%s twice by %s", c, sort)
			seen[c] = true
		}
	}
	for _, sort := range store.BundleSorts {
		n, last := 0, time.Time{}
		for after := int64(0); ; {
			bs, err := h.DB.Q().BundlePiles(ctx, store.Sieve{Sort: sort}, after, 5)
			require.NoError(t, err)
			for _, b := range bs {
				if sort == "cut" {
					assert.False(t, b.CutOn.Before(last))
					last = b.CutOn
				}
				n++
				after = b.ID
			}
			if len(bs) < 5 {
				break
			}
		}
		assert.Equal(t, h.sum(`select count(*) from wood_bundle`), n, sort)
	}
}

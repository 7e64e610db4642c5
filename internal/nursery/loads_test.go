package nursery_test

import (
	"bytes"
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

// read keeps a file and gives its preview.
func (h *house) read(kind, body string) files.LoadPage {
	h.Helper()
	id, err := h.ReadFile(ctx, h.maud, kind, "x.csv", []byte(body))
	require.NoError(h, err)
	p, err := h.Preview(ctx, h.maud, id)
	require.NoError(h, err)
	return p
}

// loaded loads a file, all of whose rows are good.
func (h *house) loaded(kind, body string) int64 {
	h.Helper()
	p := h.read(kind, body)
	require.Empty(h, p.Bad)
	require.NoError(h, h.LoadNow(ctx, h.maud, p.Load.ID))
	return p.Load.ID
}

func (h *house) sum(query string, args ...any) (n int) {
	h.Helper()
	require.NoError(h, h.db.Get(&n, query, args...))
	return n
}

func TestAWholeLoadIsTakenBack(t *testing.T) {
	h := coldHouse(t)
	for _, c := range []struct {
		kind, body, rows string
		use              func(id int64)
		stays            int
		why              string
	}{
		{"lots", "code,genus,stock,received_on,form,stems\nL-7,quince,Tarn Q3,2027-01-09,bare-root,40\nL-8,quince,Tarn " +
			"Q3,2027-01-09,bare-root,50\n",
			`select count(*) from stock_lot where code in ('L-7', 'L-8')`,
			func(int64) { require.NoError(t, h.AddReadings(ctx, h.maud, "L-8", []float64{8, 9})) }, 1, "measured"},
		{"plants", "code,genus,variety\nM-7,pear,Lanternjaw\nM-8,pear,Lanternjaw\nM-9,pear,Coldharbour\n",
			`select count(*) from mother_plant where code in ('M-7', 'M-8', 'M-9')`, func(int64) {}, 0, ""},
		{"bundles", "code,plant,cut_on,sticks,length_mm,base_mm,tip_mm,internode_mm,buds_per_piece\n" +
			"W-7,M-1,2027-01-20,20,500,9,6,25,2\nW-8,M-1,2027-01-20,20,500,9,6,25,2\n",
			`select count(*) from wood_bundle where code in ('W-7', 'W-8')`,
			func(int64) { require.NoError(t, h.MoveBundle(ctx, h.maud, "W-8", "cold store 1")) }, 1, "moved"},
		{"orders", "code,genus,variety,stock,trees,due_on,stock_genus\nO-7,pear,Lanternjaw,Tarn Q3,10,2028-03-01,quince\n" +
			"O-8,pear,Lanternjaw,Tarn Q3,12,2028-03-01,quince\n", `select count(*) from orders where code in ('O-7', 'O-8')`,
			func(int64) {
				_, err := h.db.Exec(`update orders set closed_on = '2027-02-10' where code = 'O-8'`)
				require.NoError(t, err)
			}, 1, "changed"},
		{"readings", "lot,taken_on,mm,no\nL-1,2027-01-30,8.1,1\nL-1,2027-01-30,8.4,2\n",
			`select count(*) from caliper_reading where taken_on = '2027-01-30'`, func(int64) {}, 0, ""},
		{"store", "store,at,c\ncold store 1,2027-02-01 06:00,1.4\ncold store 1,2027-02-01 07:00,1.5\n",
			`select count(*) from store_reading where source = 'file'`, func(int64) {}, 0, ""},
		{"weather", "day,mean_c,low_c\n2027-02-01,3.4,-1\n2027-02-02,3.6,-2\n", `select count(*) from weather_day where source = 'file'`,
			func(int64) {}, 0, ""},
	} {
		t.Run(c.kind, func(t *testing.T) {
			id := h.loaded(c.kind, c.body)
			n := h.sum(c.rows)
			require.Positive(t, n)
			c.use(id)
			b, err := h.Back(ctx, h.maud, id)
			require.NoError(t, err)
			assert.Equal(t, n-c.stays, b.Goes)
			if c.stays > 0 {
				require.Len(t, b.Stays, c.stays)
				assert.Equal(t, c.why, b.Stays[0].Why)
			}
			isProblem(t, h.TakeBack(ctx, h.maud, id, " "), "Say why")
			assert.ErrorIs(t, h.TakeBack(ctx, h.eye, id, "the wrong file"), nursery.ErrNotAllowed)
			require.NoError(t, h.TakeBack(ctx, h.maud, id, "the wrong file"))
			require.NoError(t, h.TakeBack(ctx, h.maud, id, "pressed twice"))
			assert.Equal(t, c.stays, h.sum(c.rows), "what was used stays, the rest is gone")
			p, err := h.Preview(ctx, h.maud, id)
			require.NoError(t, err)
			assert.Equal(t, "the wrong file", p.Back.Reason)
			assert.Equal(t, n-c.stays, p.Back.Taken)
			again := h.read(c.kind, c.body)
			if c.kind != "bundles" { // the one that stays was moved, so the file differs
				assert.Empty(t, again.Bad, "its codes are free again")
			}
			assert.Equal(t, n-c.stays, again.New)
			require.NoError(t, h.LoadNow(ctx, h.maud, again.Load.ID))
			assert.Equal(t, n, h.sum(c.rows))
		})
	}
	assert.Zero(t, h.sum(`select coalesce(sum(n), 0)::int from stock_balance b join any_lot l on l.id = b.lot_id where l.taken_back_at is
		not null`),
		"no stem of it is left anywhere")
	assert.Zero(t, h.sum(`select coalesce(sum(n), 0)::int from wood_balance b join any_bundle l on l.id = b.bundle_id
		where l.taken_back_at is not null`))
	assert.Equal(t, h.sum(`select count(*) from wood_bundle b join mother_plant m on m.id = b.plant_id where m.code = 'M-1'`),
		h.sum(`select bundles from mother_plant where code = 'M-1'`), "the plant's sum follows")
	id := h.loaded("orders", "code,genus,variety,stock,trees,due_on,stock_genus\nO-9,pear,Lanternjaw,Tarn Q3,10,2028-03-01,quince\n")
	_, err := h.db.Exec(`update orders set closed_on = '2027-02-10' where code = 'O-9'`)
	require.NoError(t, err)
	isProblem(t, h.TakeBack(ctx, h.maud, id, "x"), "Nothing of it can be taken back")
}

// TestWhatIsLoadedIsHeldByAllThatPointsAtIt: whatever table points at what a load adds is
// asked before it is taken back.
func TestWhatIsLoadedIsHeldByAllThatPointsAtIt(t *testing.T) {
	h := newHouse(t)
	var points []struct {
		To   string `db:"into"`
		From string `db:"tab"`
	}
	require.NoError(t, h.db.Select(&points, `select confrelid::regclass::text as into, conrelid::regclass::text as tab from pg_constraint
		where contype = 'f' and confrelid::regclass::text in ('any_lot', 'any_bundle', 'any_plant', 'orders')`))
	require.Greater(t, len(points), 20)
	kind := map[string]string{"any_lot": "lots", "any_bundle": "bundles", "any_plant": "plants", "orders": "orders"}
	for _, p := range points {
		asked := store.HeldBy(kind[p.To])
		from := strings.NewReplacer("any_bundle", "bundle", "any_plant", "plant").Replace(p.From)
		sums := p.From == "stock_balance" || p.From == "wood_balance" || p.From == "any_plant" && p.To == "any_bundle" ||
			p.From == "rehearsed" // it goes with its order
		assert.True(t, sums || strings.Contains(asked, from), "%s points at %s", p.From, p.To)
	}
}

func TestEveryFaultOfARowIsNamedAndMended(t *testing.T) {
	h := coldHouse(t)
	p := h.read("lots", "code,genus,stock,received_on,form,stems\nL 9!,kwince,,2027-13-01,in a sack,none\nL-10,quince,Tarn "+
		"Q3,2027-01-09,bare-root,40\n"+
		"L-1,quince,Tarn Q4,2027-01-08,potted,61\n")
	var cols []string
	for _, b := range p.Bad {
		cols = append(cols, fmt.Sprint(b.Line, " ", b.Column))
	}
	for _, c := range []string{"2 code", "2 genus", "2 stock", "2 received_on", "2 form", "2 stems", "4 stock", "4 form", "4 stems"} {
		assert.Contains(t, cols, c)
	}
	assert.Equal(t, 1, p.New)
	id := p.Load.ID
	_, err := h.MendRows(ctx, h.maud, id, []files.Mended{{Line: 3, Field: "stems", Value: "9"}, {Line: 2, Field: "genus", Value: "kwince"}})
	isProblem(t, err, "Nothing was changed")
	for _, ms := range [][]files.Mended{
		{{Line: 2, Field: "code", Value: "L-9"}, {Line: 2, Field: "genus", Value: "quince"}, {Line: 2, Field: "stock", Value: "Tarn Q3"}},
		{{Line: 2, Field: "received_on", Value: "2027-01-12"}, {Line: 2, Field: "form", Value: "potted"}, {Line: 2, Field: "stems",
			Value: "70"}},
	} {
		ended, err := h.MendRows(ctx, h.maud, id, ms)
		require.NoError(t, err)
		<-ended
	}
	p, err = h.Preview(ctx, h.maud, id)
	require.NoError(t, err)
	assert.Equal(t, 6, p.Mended)
	assert.Equal(t, 2, p.New)
	assert.Equal(t, 1, p.BadN)
	require.NoError(t, h.LoadNow(ctx, h.maud, id))
	l, err := h.DB.Q().LotByCode(ctx, "L-9")
	require.NoError(t, err)
	assert.Equal(t, 70, l.Free)
	assert.Equal(t, "potted", l.Form)
}

// TestASheetsDaysAreShownAsDays: a spreadsheet's own numbers for days are days to people.
func TestASheetsDaysAreShownAsDays(t *testing.T) {
	h := newHouse(t)
	var b bytes.Buffer
	require.NoError(t, exchange.Write(&b, exchange.XLSX, []string{"code", "genus", "stock", "received_on", "form", "stems"},
		func(add func(...any) error) error {
			return add("L-9", "quince", "Tarn Q3", time.Date(2027, 1, 9, 0, 0, 0, 0, time.UTC), "bare-root", 40)
		}))
	p := h.read("lots", b.String())
	require.Empty(t, p.Whole)
	assert.Equal(t, []string{"L-9", "quince", "Tarn Q3", "2027-01-09", "bare-root", "40"}, p.Sample[0])
	assert.Equal(t, 1, p.New)
}

// manyReadings is a file of so many readings of one store.
func manyReadings(n int) []byte {
	var f bytes.Buffer
	f.WriteString("store,at,c\n")
	at := time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)
	for i := range n {
		fmt.Fprintf(&f, "cold store 1,%s,%.1f\n", at.Add(time.Duration(i)*20*time.Second).Format(time.RFC3339), 1+float64(i%10)/10)
	}
	return f.Bytes()
}

// TestALargeFileIsGoneThroughBehind: reading and loading one say how far they are, are
// stopped, leave nothing behind then, and are begun again; after a server that ended too.
func TestALargeFileIsGoneThroughBehind(t *testing.T) {
	h := coldHouse(t)
	id, err := h.ReadFile(ctx, h.maud, "store", "x.csv", manyReadings(30_000))
	require.NoError(t, err)
	at := func(state func(p files.LoadPage) bool) files.LoadPage {
		t.Helper()
		var p files.LoadPage
		require.Eventually(t, func() bool {
			var err error
			p, err = h.Preview(ctx, h.maud, id)
			return err == nil && state(p)
		}, time.Minute, 20*time.Millisecond)
		return p
	}
	p := at(func(p files.LoadPage) bool { return !p.Working() })
	assert.Equal(t, 30_000, p.New)
	assert.False(t, p.SeenAt.IsZero())

	// Somebody holds the readings' place: the load waits, and can be stopped.
	tx, err := h.db.Beginx()
	require.NoError(t, err)
	_, err = tx.Exec(`insert into store_reading (place_id, at, c, source) select id, '2026-11-01T00:00:40Z', 9, 'logger' from store_place`)
	require.NoError(t, err)
	ended, err := h.BeginLoad(ctx, h.maud, id)
	require.NoError(t, err)
	p = at(func(p files.LoadPage) bool { return p.Working() })
	assert.Equal(t, "Being loaded", p.Doing())
	twice, err := h.BeginLoad(ctx, h.maud, id)
	require.NoError(t, err)
	require.NoError(t, <-twice, "pressed twice it is loaded once")
	require.NoError(t, h.Stop(ctx, h.maud, id))
	require.Error(t, <-ended)
	require.NoError(t, tx.Rollback())
	p = at(func(p files.LoadPage) bool { return !p.Working() })
	assert.Contains(t, p.Failed(), "It was stopped")
	assert.Equal(t, "read", p.Load.State)
	assert.Zero(t, h.sum(`select count(*) from store_reading where source = 'file'`))

	// A server that ended in the middle of it.
	_, err = h.db.Exec(`update load_run set ended = false, failed = '', beat_at = now() - interval '1 minute' where load_id = $1`, id)
	require.NoError(t, err)
	p = at(func(files.LoadPage) bool { return true })
	assert.Contains(t, p.Failed(), "the server ended")
	require.NoError(t, h.LoadNow(ctx, h.maud, id))
	p = at(func(p files.LoadPage) bool { return p.Load.State == "loaded" })
	assert.Equal(t, 30_000, p.Load.Added)
	assert.Equal(t, 30_000, h.sum(`select count(*) from store_reading where source = 'file'`))

	// A server that stops ends what goes on, and waits for it.
	other, err := h.ReadFile(ctx, h.maud, "store", "y.csv", append(manyReadings(30_000), "cold store 1,2027-01-01 06:00,1\n"...))
	require.NoError(t, err)
	h.Works.Close()
	p, err = h.Preview(ctx, h.maud, other)
	require.NoError(t, err)
	assert.False(t, p.Working())
	_, err = h.ReadAnew(ctx, h.maud, other)
	isProblem(t, err, "stopping")
}

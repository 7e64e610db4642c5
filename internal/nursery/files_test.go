package nursery_test

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/season"
	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/files"
	"unionknot/internal/nursery/places"
	woodstage "unionknot/internal/nursery/wood"
	"unionknot/internal/standin"
	"unionknot/internal/testhouse"
)

func TestWhatGoesOutAsAFileComesBackAsItIs(t *testing.T) {
	h := coldHouse(t)
	require.NoError(t, h.AddReadings(ctx, h.maud, "L-1", []float64{8.1, 8.25, 9}))
	_, err := h.Simulate(ctx, h.maud, "cold store 1", standin.StoreLogger{SetC: 1}.Readings(h.Now().Add(-10*time.Hour), h.Now()))
	require.NoError(t, err)
	_, err = h.AddWeather(ctx, h.maud, []season.DegreeDay{{On: h.Today().AddDate(0, 0, -2), MeanC: 3.4, LowC: -1.2}}, "feed")
	require.NoError(t, err)
	for _, k := range nursery.LoadKinds {
		for _, f := range []exchange.Format{exchange.CSV, exchange.XLSX} {
			var b bytes.Buffer
			require.NoError(t, h.Export(ctx, h.eye, k.Key, f, &b), k.Key)
			id, err := h.ReadFile(ctx, h.maud, k.Key, "x."+string(f), b.Bytes())
			require.NoError(t, err)
			p, err := h.Preview(ctx, h.maud, id)
			require.NoError(t, err)
			assert.Empty(t, p.Whole, "%s as %s", k.Key, f)
			assert.Empty(t, p.Bad, "%s as %s", k.Key, f)
			assert.Positive(t, p.Same, "%s as %s", k.Key, f)
			assert.Zero(t, p.New, "%s as %s", k.Key, f)
		}
	}
	assert.ErrorIs(t, h.Export(ctx, h.ansel, "lots", exchange.CSV, &bytes.Buffer{}), nursery.ErrNotAllowed)
	assert.ErrorIs(t, h.Export(ctx, h.maud, "people", exchange.CSV, &bytes.Buffer{}), nursery.ErrNotFound)
}

func TestPhotosAreWhatTheyHold(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 20, 20)
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, image.NewGray(image.Rect(0, 0, 30, 20))))
	require.NoError(t, h.AddPhoto(ctx, h.maud, "M-1", "the whole tree", b.Bytes()))
	isProblem(t, h.AddPhoto(ctx, h.maud, "M-1", "", []byte("<svg onload=alert(1)>")), "no JPEG or PNG")
	isProblem(t, h.AddPhoto(ctx, h.maud, "M-1", "", make([]byte, woodstage.MaxPhoto+1)), "5 MB")
	p, err := h.Plant(ctx, "M-1")
	require.NoError(t, err)
	require.Len(t, p.Photos, 1)
	f, err := h.Photo(ctx, p.Photos[0].ID)
	require.NoError(t, err)
	assert.Equal(t, "image/png", f.Kind)
	assert.Equal(t, b.Bytes(), f.Body)
	require.NoError(t, h.DropPhoto(ctx, h.maud, "M-1", f.ID))
	_, err = h.Photo(ctx, f.ID)
	assert.ErrorIs(t, err, nursery.ErrNotFound)
	require.NoError(t, h.SeeTrue(ctx, h.maud, "M-1", woodstage.SeePlant{SeenTrueBy: "Maud", SeenTrueOn: h.Today(), Health: "clean"}))
	isProblem(t, h.SeeTrue(ctx, h.maud, "M-1", woodstage.SeePlant{SeenTrueBy: "Maud"}), "both who saw it and when")
	isProblem(
		t,
		h.SeeTrue(ctx, h.maud, "M-1", woodstage.SeePlant{SeenTrueBy: "Maud", SeenTrueOn: h.Today().AddDate(0, 0, 1)}),
		"still to come",
	)
	p, err = h.Plant(ctx, "M-1")
	require.NoError(t, err)
	assert.NotNil(t, p.Plant.SeenTrueOn)
}

func TestTheLabelPrinterKeepsWhatItWasSent(t *testing.T) {
	h := newHouse(t)
	id, err := h.PrintLabels(ctx, h.maud, "Wood", []exchange.Label{{Code: "W-1"}})
	require.NoError(t, err)
	p, err := h.PrintedPDF(ctx, id)
	require.NoError(t, err)
	assert.True(t, bytes.HasPrefix(p.PDF, []byte("%PDF-")))
	all, err := h.Printed(ctx)
	require.NoError(t, err)
	require.Len(t, all, 1)
	_, err = h.PrintLabels(ctx, h.maud, "Wood", nil)
	isProblem(t, err, "no label")
	_, err = h.PrintLabels(ctx, h.eye, "Wood", []exchange.Label{{Code: "W-1"}})
	assert.ErrorIs(t, err, nursery.ErrNotAllowed)
}

// Files of many rows, looked at and loaded, beside a plain insert of as many rows in one
// statement.
func BenchmarkLoad(b *testing.B) {
	orders := func(n int) []byte {
		var f bytes.Buffer
		f.WriteString("code,genus,variety,stock_genus,stock,trees,due_on\n")
		for i := range n {
			fmt.Fprintf(&f, "X-%d,pear,Variety %d,quince,Stock %d,%d,2028-02-20\n", i, i%300, i%40, 1+i%90)
		}
		return f.Bytes()
	}
	for _, c := range []struct {
		name, kind string
		rows       int
		body       []byte
	}{{"store readings", "store", 200_000, manyReadings(200_000)}, {"orders", "orders", 20_000, orders(20_000)}} {
		b.Run(fmt.Sprint(c.rows, " ", c.name), func(b *testing.B) {
			for b.Loop() {
				b.StopTimer()
				h := newHouse(b)
				require.NoError(b, h.AddColdPlace(ctx, h.maud, places.NewColdPlace{Name: "cold store 1", SetC: 1, LowC: 0, HighC: 4}))
				b.StartTimer()
				id, err := h.ReadFile(ctx, h.maud, c.kind, "x.csv", c.body)
				require.NoError(b, err)
				var p files.LoadPage
				for p.New == 0 {
					p, err = h.Preview(ctx, h.maud, id)
					require.NoError(b, err)
				}
				require.Equal(b, c.rows, p.New)
				require.NoError(b, h.LoadNow(ctx, h.maud, id))
			}
		})
	}
	b.Run("200000 plain rows", func(b *testing.B) {
		h := newHouse(b)
		_, err := testhouse.Owner(b, h.db).Exec(`create table plain (id bigint generated always as identity primary key, at timestamptz,
			c numeric(5,2))`)
		require.NoError(b, err)
		for b.Loop() {
			_, err := testhouse.Owner(b, h.db).Exec(`insert into plain (at, c) select now() + i * interval '1 minute', 1.5 from
				generate_series(1, 200000) i`)
			require.NoError(b, err)
		}
	})
}

package nursery_test

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/season"
	"unionknot/internal/core/wood"
	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/standin"
	"unionknot/internal/store"
)

// coldHouse has a store with a bundle in it.
func coldHouse(t *testing.T) *house {
	h := newHouse(t)
	h.stocked(60, 20, 20)
	require.NoError(t, h.AddColdPlace(ctx, h.maud, nursery.NewColdPlace{Name: "Cold  store 1", SetC: 1, LowC: 0, HighC: 4}))
	for _, q := range []string{`update wood_bundle set place = 'cold store 1'`, `update bundle_stay set place = 'cold store 1'`} { // there from the day it was cut
		_, err := h.db.Exec(q)
		require.NoError(t, err)
	}
	return h
}

func (h *house) cold() nursery.ColdPage {
	h.Helper()
	c, err := h.Cold(ctx, "cold store 1")
	require.NoError(h, err)
	return c
}

func kinds(c nursery.ColdPage) string {
	var out []string
	for _, f := range c.Flags {
		out = append(out, f.Kind)
	}
	return strings.Join(out, ",")
}

func TestAWarmWeekMovesTheKeepByDate(t *testing.T) {
	h := coldHouse(t)
	now := h.Now()
	l := standin.StoreLogger{SetC: 1}
	before := h.cold()
	require.Len(t, before.Kept, 1)
	assert.Equal(t, "look", kinds(before), "nobody has looked since it was cut")
	l.Trouble = []standin.Trouble{{From: now.AddDate(0, 0, -9), To: now.AddDate(0, 0, -2), ByC: 8}}
	n, err := h.Simulate(ctx, h.maud, "cold store 1", l.Readings(now.AddDate(0, 0, -28), now))
	require.NoError(t, err)
	assert.Equal(t, 28*48, n)
	after := h.cold()
	lost := before.Kept[0].Keeping.KeepBy.Sub(after.Kept[0].Keeping.KeepBy).Hours() / 24
	assert.InDelta(t, 7*(wood.Rate(9)-1), lost, 1.5, "days of life lost")
	assert.Equal(t, "warmth,look", kinds(after))
	assert.Contains(t, after.Flags[0].Says, "keep-by dates of 1 bundles")
	p, err := h.TodayPage(ctx, h.maud)
	require.NoError(t, err)
	require.Len(t, p.Risks, 2)
	assert.Contains(t, p.Risks[0].Says, "Above 6 °C")
	assert.Equal(t, "Cold store 1", p.Risks[1].Look)

	// A look in the middle of it settles nothing: it went on being warm.
	h.RunFrom(now.AddDate(0, 0, -5))
	require.NoError(t, h.LookAtCold(ctx, h.ansel, "cold store 1", nursery.NewLook{Found: "sound"}))
	h.RunFrom(now)
	assert.Equal(t, "warmth", kinds(h.cold()))

	// A look since it ended settles it; a bad find stands until the next.
	require.NoError(t, h.LookAtCold(ctx, h.ansel, "cold store 1", nursery.NewLook{Found: "sound"}))
	assert.Empty(t, kinds(h.cold()))
	free := h.pieces("W-1")[store.Free]
	require.NoError(t, h.LookAtCold(ctx, h.maud, "cold store 1", nursery.NewLook{Bundle: "w-1", Found: "mould", Thrown: 5}))
	assert.Equal(t, free-5, h.pieces("W-1")[store.Free])
	assert.Equal(t, "failed look", kinds(h.cold()))
	isProblem(t, h.LookAtCold(ctx, h.maud, "cold store 1", nursery.NewLook{Bundle: "W-1", Found: "mould", Thrown: 50_000}), "pieces free")
	isProblem(t, h.LookAtCold(ctx, h.maud, "cold store 1", nursery.NewLook{Found: "nice"}), "Say what was found")
	assert.ErrorIs(t, h.LookAtCold(ctx, h.eye, "cold store 1", nursery.NewLook{Found: "sound"}), nursery.ErrNotAllowed)
	require.NoError(t, h.ChangeColdPlace(ctx, h.maud, "cold store 1", nursery.ChangeCold{SetC: 1, HighC: 4, Fruit: true}))
	assert.Contains(t, kinds(h.cold()), "fruit")
}

func TestWoodAgesByThePlaceItLayIn(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 20, 20)
	now := h.Now()
	for name, c := range map[string]float64{"shed": 9, "cold store 1": 1} {
		require.NoError(t, h.AddColdPlace(ctx, h.maud, nursery.NewColdPlace{Name: name, SetC: c, LowC: 0, HighC: 10}))
	}
	cut := func(code, place string, daysAgo int) {
		require.NoError(t, h.AddBundle(ctx, h.maud, nursery.NewBundle{Code: code, Plant: "M-1", State: "resting", CutOn: h.Today().AddDate(0, 0, -daysAgo), Place: place,
			Sticks: 5, LengthMM: 500, BaseMM: 9, TipMM: 6, InternodeMM: 24, BudsPerPiece: 2}))
	}
	cut("W-8", "shed", 20)
	cut("W-9", "cold store 1", 20)
	h.RunFrom(now.AddDate(0, 0, 10))
	require.NoError(t, h.MoveBundle(ctx, h.maud, "W-8", "Cold store 1"))
	h.RunFrom(now.AddDate(0, 0, 30))
	age := func(code string) float64 {
		b, err := h.Bundle(ctx, code)
		require.NoError(t, err)
		return b.Kept.Keeping.Age.Days
	}
	assert.InDelta(t, 50, age("W-9"), 1)
	assert.InDelta(t, 30*wood.Rate(9)+20, age("W-8"), 1.2, "thirty days in the shed do not vanish")
	h.order("O-7", 10)
	m, err := h.Match(ctx, "O-7", nursery.Asked{})
	require.NoError(t, err)
	assert.Empty(t, m.Late)
	assert.Equal(t, "W-8", m.Bundles[0].Bundle.Code, "the weave takes first what keeps shortest")
	p := h.cold()
	require.Len(t, p.Kept, 2)
	assert.Equal(t, "W-8", p.Kept[0].Bundle.Code, "first to use")
	h.RunFrom(now.AddDate(0, 0, 75))
	m, err = h.Match(ctx, "O-7", nursery.Asked{})
	require.NoError(t, err)
	require.NotEmpty(t, m.Late)
	assert.Contains(t, m.Late[0], "W-8")
}

func TestALoggerSendsWithItsOwnKey(t *testing.T) {
	h := coldHouse(t)
	key, err := h.LoggerKey(ctx, h.maud, "cold store 1")
	require.NoError(t, err)
	rs := []wood.Reading{{At: h.Now().Add(-5 * time.Hour), C: 1.25}, {At: h.Now().Add(-4 * time.Hour), C: 1.5}}
	n, err := h.Intake(ctx, key, rs)
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	n, err = h.Intake(ctx, key, rs)
	require.NoError(t, err)
	assert.Zero(t, n, "sent again it is the same")
	assert.Contains(t, kinds(h.cold()), "silent", "four hours without a word")
	_, err = h.Intake(ctx, key, []wood.Reading{{At: h.Now().AddDate(0, 0, 2), C: 1}})
	isProblem(t, err, "still to come")
	_, err = h.Intake(ctx, key, []wood.Reading{{At: h.Now(), C: 400}})
	isProblem(t, err, "no store's temperature")
	fresh, err := h.LoggerKey(ctx, h.maud, "cold store 1")
	require.NoError(t, err)
	for _, bad := range []string{key, "", "x" + fresh} {
		_, err = h.Intake(ctx, bad, rs)
		assert.ErrorIs(t, err, nursery.ErrNoKey)
	}
	_, err = h.LoggerKey(ctx, h.ansel, "cold store 1")
	assert.ErrorIs(t, err, nursery.ErrNotAllowed)
}

func TestARecountIsALineOfItsOwn(t *testing.T) {
	h := newHouse(t)
	require.NoError(t, h.AddLot(ctx, h.maud, lot("L-1", 100)))
	for _, c := range []struct{ counted, diff, free, lost int }{{92, -8, 92, 8}, {92, 0, 92, 8}, {97, 5, 97, 3}, {110, 13, 110, 0}} {
		diff, err := h.Recount(ctx, h.maud, "L-1", c.counted)
		require.NoError(t, err)
		assert.Equal(t, c.diff, diff)
		p, err := h.Lot(ctx, "L-1", 0)
		require.NoError(t, err)
		got := map[string]int{}
		for _, b := range p.Balances {
			got[b.Account] = b.N
		}
		assert.Equal(t, c.free, got[store.Free])
		assert.Equal(t, c.lost, got[store.Lost])
	}
	p, err := h.Lot(ctx, "L-1", 0)
	require.NoError(t, err)
	assert.Contains(t, p.Moves[0].Reason, "recount: 110 counted, 97 in the ledger")
	_, err = h.Recount(ctx, h.maud, "L-1", -1)
	isProblem(t, err, "whole number")
	_, err = h.Recount(ctx, h.eye, "L-1", 5)
	assert.ErrorIs(t, err, nursery.ErrNotAllowed)
}

func TestFailedStocksComeBackAsALot(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 20, 20)
	ts := h.finished(12, h.ansel)
	isProblem(t, h.ReturnFailed(ctx, h.maud, "L-1", "L-1-F", "", 1), "0 stocks of lot L-1 are counted dead")
	count, err := h.Count(ctx, ts[0].Code, "first look")
	require.NoError(t, err)
	tied := count.Tag.Tied
	require.Greater(t, tied, 3)
	require.NoError(t, h.KeepCount(ctx, h.maud, ts[0].Code, nursery.NewCount{ID: h.uuid(), Look: "first look", Taken: tied - 3, Dead: 3, Causes: map[string]int{"dried out": 3}}))
	p, err := h.Lot(ctx, "L-1", 0)
	require.NoError(t, err)
	assert.Equal(t, 3, p.Failed.N)
	assert.Contains(t, p.Failed.Tags, ts[0].Code)
	isProblem(t, h.ReturnFailed(ctx, h.maud, "L-1", "L-1-F", "", 4), "3 stocks of lot L-1")
	require.NoError(t, h.ReturnFailed(ctx, h.maud, "L-1", "l-1-f", "north bed", 2))
	back, err := h.Lot(ctx, "L-1-F", 0)
	require.NoError(t, err)
	assert.Equal(t, 2, back.Lot.Free)
	assert.Equal(t, "L-1", back.From)
	assert.Contains(t, back.Lot.FailedNote, ts[0].Code)
	require.NotNil(t, back.Lot.GradeLow, "its classes are those of the tags they failed in")
	p, err = h.Lot(ctx, "L-1", 0)
	require.NoError(t, err)
	assert.Equal(t, 1, p.Failed.N)
	require.Len(t, p.Back, 1)
	isProblem(t, h.ReturnFailed(ctx, h.maud, "L-1", "L-1-F", "", 1), "already there")
}

func TestLooksAtALot(t *testing.T) {
	h := newHouse(t)
	require.NoError(t, h.AddLot(ctx, h.maud, lot("L-1", 100)))
	require.NoError(t, h.LookAtLot(ctx, h.ansel, "L-1", store.LotLook{Ready: "watch", Roots: "dry"}))
	isProblem(t, h.LookAtLot(ctx, h.maud, "L-1", store.LotLook{Ready: "maybe"}), "Choose one")
	p, err := h.Lot(ctx, "L-1", 0)
	require.NoError(t, err)
	require.Len(t, p.Looks, 1)
	assert.Equal(t, "dry", p.Looks[0].Roots)
}

func TestReadingsOfTheSummerTellGrowth(t *testing.T) {
	h := newHouse(t)
	h.on(2027, 6, 1)
	require.NoError(t, h.AddLot(ctx, h.maud, lot("L-1", 12)))
	for i := range 3 {
		h.on(2027, 6, 1+14*i)
		base := 6 + float64(i)
		require.NoError(t, h.AddReadings(ctx, h.maud, "L-1", []float64{base, base + 0.2, base - 0.2, base, base + 0.1, base - 0.1}), "more readings in all than stems, but not of one day")
	}
	p, err := h.Lot(ctx, "L-1", 9)
	require.NoError(t, err)
	require.True(t, p.Grown.Known)
	assert.InDelta(t, 0.5, p.Grown.Growth.PerWeek, 1e-9)
	assert.Equal(t, time.Date(2027, 7, 13, 0, 0, 0, 0, time.UTC), p.Grown.Reach.On)
	isProblem(t, h.AddReadings(ctx, h.maud, "L-1", []float64{8, 8, 8, 8, 8, 8, 8}), "would be too many")
	require.NoError(t, h.TakeBackReading(ctx, h.maud, "L-1", 8.2))
	isProblem(t, h.TakeBackReading(ctx, h.maud, "L-1", 8.2), "No reading of 8.2 mm")
}

func TestTheCollectionSheetAsksForWhatIsLacking(t *testing.T) {
	h := newHouse(t)
	h.stocked(900, 10, 300)
	require.NoError(t, h.AddPlant(ctx, h.maud, nursery.NewPlant{Code: "M-2", Genus: "pear", Variety: "Lanternjaw", Place: "row 12", SeenTrueBy: "Maud", SeenTrueOn: h.Today()}))
	require.NoError(t, h.AddPlant(ctx, h.maud, nursery.NewPlant{Code: "M-10", Genus: "pear", Variety: "Lanternjaw", Place: "row 9", SeenTrueBy: "Maud", SeenTrueOn: h.Today(), Licence: "house licence 3"}))
	require.NoError(t, h.AddOrder(ctx, h.maud, nursery.NewOrder{Code: "O-9", Genus: "medlar", Variety: "Bun", StockGenus: "quince", StockType: "Tarn Q3", Trees: 5, DueOn: h.Today()}))
	asked := nursery.CollectAsked{Spare: nursery.SparePct, Waste: nursery.WastePct}
	c, err := h.Collect(ctx, asked)
	require.NoError(t, err)
	assert.Equal(t, []string{"Bun"}, c.Without)
	require.Len(t, c.Lines, 2, "only plants seen true, where there are any")
	assert.Equal(t, []string{"M-10", "M-2"}, []string{c.Lines[0].Plant.Code, c.Lines[1].Plant.Code}, "row 9 before row 12")
	assert.Equal(t, []string{"W-2", "W-3"}, []string{c.Lines[0].Bundle, c.Lines[1].Bundle})
	assert.Contains(t, c.Lines[0].Warnings[0], "house licence 3")
	assert.NotEmpty(t, c.Lines[0].LookFor)
	o, err := h.Order(ctx, "O-1", nursery.WhatIf{})
	require.NoError(t, err)
	lack := o.Line.ToGo - h.pieces("W-1")[store.Free]
	y, err := c.Lines[0].Stick.Of()
	require.NoError(t, err)
	sticks := c.Lines[0].Sticks + c.Lines[1].Sticks
	assert.InDelta(t, float64(lack)*1.1/(0.9*float64(y.Pieces)), float64(sticks), 2)
	more, err := h.Collect(ctx, nursery.CollectAsked{Spare: 50, Waste: 10})
	require.NoError(t, err)
	assert.Greater(t, more.Lines[0].Sticks, c.Lines[0].Sticks)
	_, err = h.Collect(ctx, nursery.CollectAsked{Waste: 100})
	isProblem(t, err, "waste 0 to 90")

	// Keyed in as really cut, dropped sticks among them, it is lacking less.
	for _, l := range c.Lines {
		require.NoError(t, h.AddBundle(ctx, h.maud, nursery.NewBundle{Code: l.Bundle, Plant: l.Plant.Code, State: "resting", CutOn: h.Today(), Sticks: l.Sticks, LengthMM: l.Stick.LengthMM, BaseMM: l.Stick.BaseMM,
			TipMM: l.Stick.TipMM, InternodeMM: l.Stick.InternodeMM, BudsPerPiece: l.Buds, Sealed: true, Marks: []string{"buds plump"}, Dropped: 1}))
	}
	b, err := h.Bundle(ctx, "W-2")
	require.NoError(t, err)
	assert.Equal(t, "buds plump", b.Bundle.Marks)
	assert.True(t, b.Bundle.Sealed)
	assert.Equal(t, b.Bundle.Pieces-b.Yield.Pieces, b.Bundle.Free, "a dropped stick is thrown out")
	c, err = h.Collect(ctx, asked)
	require.NoError(t, err)
	assert.Empty(t, c.Lines)
}

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

func TestStoreReadingsByFile(t *testing.T) {
	h := coldHouse(t)
	p := h.load("store", "store;at;f\ncold store 1;2027-02-09 06:00;34\nCOLD STORE 1;2027-02-09T12:00;35,6\nshed;2027-02-09 06:00;34\ncold store 1;yesterday;34\ncold store 1;2027-02-09 07:00;\n")
	assert.Equal(t, 2, p.New)
	assert.Equal(t, 3, p.BadN)
	require.NoError(t, h.LoadNow(ctx, h.maud, p.Load.ID))
	c := h.cold()
	require.Len(t, c.Readings, 2)
	assert.InDelta(t, 1.11, c.Readings[0].C, 1e-9)
	p = h.load("store", "store,at,c\ncold store 1,2027-02-09 06:00,9\n")
	require.Len(t, p.Bad, 1)
	assert.Contains(t, p.Bad[0].Says, "1.11 °C is here already")
}

func TestPhotosAreWhatTheyHold(t *testing.T) {
	h := newHouse(t)
	h.stocked(60, 20, 20)
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, image.NewGray(image.Rect(0, 0, 30, 20))))
	require.NoError(t, h.AddPhoto(ctx, h.maud, "M-1", "the whole tree", b.Bytes()))
	isProblem(t, h.AddPhoto(ctx, h.maud, "M-1", "", []byte("<svg onload=alert(1)>")), "no JPEG or PNG")
	isProblem(t, h.AddPhoto(ctx, h.maud, "M-1", "", make([]byte, nursery.MaxPhoto+1)), "5 MB")
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
	require.NoError(t, h.SeeTrue(ctx, h.maud, "M-1", nursery.SeePlant{SeenTrueBy: "Maud", SeenTrueOn: h.Today(), Health: "clean"}))
	isProblem(t, h.SeeTrue(ctx, h.maud, "M-1", nursery.SeePlant{SeenTrueBy: "Maud"}), "both who saw it and when")
	isProblem(t, h.SeeTrue(ctx, h.maud, "M-1", nursery.SeePlant{SeenTrueBy: "Maud", SeenTrueOn: h.Today().AddDate(0, 0, 1)}), "still to come")
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

// A file of 100,000 store readings, looked at and loaded.
func BenchmarkLoad100000(b *testing.B) {
	for b.Loop() {
		b.StopTimer()
		h := newHouse(b)
		require.NoError(b, h.AddColdPlace(ctx, h.maud, nursery.NewColdPlace{Name: "cold store 1", SetC: 1, LowC: 0, HighC: 4}))
		var f bytes.Buffer
		f.WriteString("store,at,c\n")
		at := time.Date(2026, 11, 1, 0, 0, 0, 0, time.Local)
		for i := range 100_000 {
			fmt.Fprintf(&f, "cold store 1,%s,%.1f\n", at.Add(time.Duration(i)*time.Minute).Format(time.RFC3339), 1+float64(i%10)/10)
		}
		b.StartTimer()
		id, err := h.ReadFile(ctx, h.maud, "store", "x.csv", f.Bytes())
		require.NoError(b, err)
		p, err := h.Preview(ctx, h.maud, id)
		require.NoError(b, err)
		require.Equal(b, 100_000, p.New)
		require.NoError(b, h.LoadNow(ctx, h.maud, id))
	}
}

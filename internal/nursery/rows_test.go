package nursery_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/season"
	"unionknot/internal/core/ways"
	"unionknot/internal/nursery/days"
	"unionknot/internal/nursery/rows"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/nursery/wood"
	"unionknot/internal/words"
)

// rowed is a house with 80 quinces lined out in row 3 of the north field, in the budding season, and
// wood for T-buds.
func rowed(t *testing.T) (h *house, row int64) {
	h = newHouse(t)
	h.stocked(80, 10, 40)
	row, err := h.AddRow(ctx, h.maud, rows.NewRow{Field: "north field", Number: 3, Bearing: 90, WindFrom: 270, SpacingCM: 25})
	require.NoError(t, err)
	code, err := h.Stand(ctx, h.maud, row, rows.Standing{Lot: "L-1"})
	require.NoError(t, err)
	require.Equal(t, "L-1", code)
	return h, row
}

// budded makes a batch of T-buds for order O-1 in the row, on tags of a hand.
func (h *house) budded(grafts int) string {
	h.Helper()
	h.on(2027, 7, 20)
	require.NoError(h, h.AddBundle(ctx, h.maud, wood.NewBundle{Code: "W-7", Plant: "M-1", State: "ripe green", CutOn: h.Today(),
		Sticks: 20, LengthMM: 600,
		BaseMM: 7, TipMM: 5.4, InternodeMM: 22, BudsPerPiece: 1, Whole: true}))
	_, err := h.DB.Exec(`update technique set in_use = key = 't-bud'`)
	require.NoError(h, err)
	return h.batchOf("O-1", "in the row")
}

func TestARowHasWhatStandsInIt(t *testing.T) {
	h, row := rowed(t)
	p, err := h.Row(ctx, row)
	require.NoError(t, err)
	assert.Equal(t, 80, p.Plants)
	l, err := h.DB.Q().LotByCode(ctx, "L-1")
	require.NoError(t, err)
	assert.Equal(t, "north field, row 3", l.Place)
	assert.Equal(t, "in the row", l.Form)

	// A gap takes a stem, so orders hear of it; taken back, the stem is there again.
	gap := h.uuid()
	tag, err := h.NoteGap(ctx, h.ansel, row, rows.Gap{ID: gap, At: 12, Why: "hares"})
	require.NoError(t, err)
	assert.Empty(t, tag)
	assert.Equal(t, 79, h.stems("L-1")["free"])
	_, err = h.NoteGap(ctx, h.ansel, row, rows.Gap{ID: gap, At: 12})
	require.NoError(t, err)
	assert.Equal(t, 79, h.stems("L-1")["free"], "sent twice it is one gap")
	_, err = h.NoteGap(ctx, h.ansel, row, rows.Gap{ID: h.uuid(), At: 12})
	isProblem(t, err, "noted already")
	_, err = h.NoteGap(ctx, h.ansel, row, rows.Gap{ID: h.uuid(), At: 81})
	isProblem(t, err, "No lot stands at plant 81")
	require.NoError(t, h.UndoGap(ctx, h.ansel, row, gap))
	assert.Equal(t, 80, h.stems("L-1")["free"])
	require.NoError(t, h.AddLot(ctx, h.maud, lot("L-2", 15)))
	_, err = h.Stand(ctx, h.maud, row, rows.Standing{Lot: "L-2", First: 50})
	isProblem(t, err, "Plants 1 to 80")
	two, err := h.DB.Q().LotByCode(ctx, "L-2")
	require.NoError(t, err)
	assert.Equal(t, "bare-root", two.Form, "nothing moved")
	isProblem(t, h.RemoveRow(ctx, h.maud, row), "stand in")

	// Lifted, it is off the map by itself, and is lined out elsewhere.
	_, err = h.MoveStems(ctx, h.maud, "L-1", stock.Moving{Doing: "lifted", Place: "cold store"})
	require.NoError(t, err)
	p, err = h.Row(ctx, row)
	require.NoError(t, err)
	assert.Zero(t, p.Plants)
	require.NoError(t, h.RemoveRow(ctx, h.maud, row))
	other, err := h.AddRow(ctx, h.maud, rows.NewRow{Field: "north field", Number: 8, WindFrom: -1, SpacingCM: 25})
	require.NoError(t, err)
	_, err = h.Stand(ctx, h.maud, other, rows.Standing{Lot: "L-1"})
	require.NoError(t, err)
	p, err = h.Row(ctx, other)
	require.NoError(t, err)
	assert.Equal(t, 80, p.Plants)
}

func TestTagsLieAlongTheirRowAndTheCardSaysWhere(t *testing.T) {
	h, row := rowed(t)
	_, err := h.NoteGap(ctx, h.ansel, row, rows.Gap{ID: h.uuid(), At: 5})
	require.NoError(t, err)
	tags := h.tagsOf(h.budded(30), h.ansel)
	require.NotEmpty(t, tags)
	says, err := h.OnCard(ctx, tags[0].Code)
	require.NoError(t, err)
	assert.Contains(t, says, "North field, row 3, plants 1 to ")
	assert.Contains(t, says, "on your left, away from the midday sun (north)", "it is walked to the east")
	require.NoError(t, h.ChooseWay(ctx, h.maud, string(ways.Side), "windward"))
	says, err = h.OnCard(ctx, tags[0].Code)
	require.NoError(t, err)
	assert.Contains(t, says, "the near side of each stem, to windward (west)")

	// South of the line the other side is away from the sun.
	require.NoError(t, h.ChooseWay(ctx, h.maud, string(ways.Side), "away from midday sun"))
	require.NoError(t, h.SetSite(ctx, h.maud, season.Site{Climate: season.Maritime, South: true}))
	says, err = h.OnCard(ctx, tags[0].Code)
	require.NoError(t, err)
	assert.Contains(t, says, "on your right, away from the midday sun (south)")

	// A gap where a tag was begun is the tag's loss, and takes no stem of the lot.
	h.tap(h.ansel, tags[0].Code, "tied", 3)
	free := h.stems("L-1")["free"]
	tag, err := h.NoteGap(ctx, h.ansel, row, rows.Gap{ID: h.uuid(), At: 2})
	require.NoError(t, err)
	assert.Equal(t, tags[0].Code, tag)
	assert.Equal(t, free, h.stems("L-1")["free"])

	require.NoError(t, h.BeginAt(ctx, h.ansel, row, tags[0].Code, 21))
	p, err := h.Row(ctx, row)
	require.NoError(t, err)
	assert.Equal(t, 21, p.Laid[0].Stretch.First)
	assert.Equal(t, 24, p.At, "three are budded")
	isProblem(t, h.BeginAt(ctx, h.ansel, row, tags[0].Code, 97), "No lot stands")
}

func TestWhichRowIsNextFollowsSeasonAndSoil(t *testing.T) {
	h, row := rowed(t)
	h.tagsOf(h.budded(30), h.ansel)
	p, err := h.Rows(ctx, "", rows.UsualCrew)
	require.NoError(t, err)
	require.Equal(t, rows.Bud, p.Kind, "the first work that can be done")
	require.Len(t, p.Turns, 1)
	assert.Equal(t, row, p.Turns[0].ID)
	assert.False(t, p.Turns[0].Closes.IsZero())
	assert.Positive(t, p.ADay)
	solo, err := h.Rows(ctx, rows.Bud, rows.Crew{Budders: 1, HoursA: 4, HoursB: 3.5})
	require.NoError(t, err)
	assert.Greater(t, p.AnHour, 2*solo.AnHour, "two who bud and one who wraps")
	why := p.Turns[0].Why

	require.NoError(t, h.NoteSoil(ctx, h.ansel, row, h.uuid(), "dry", h.Today()))
	p, err = h.Rows(ctx, rows.Bud, rows.UsualCrew)
	require.NoError(t, err)
	assert.NotEqual(t, why, p.Turns[0].Why, "dry stock does not slip")
	assert.Contains(t, words.RowWhy(p.Turns[0].Why, ""), "water it")
	// What was seen longer ago decides nothing.
	h.RunFrom(h.Now().AddDate(0, 0, 9))
	p, err = h.Rows(ctx, rows.Bud, rows.UsualCrew)
	require.NoError(t, err)
	assert.Empty(t, p.Turns[0].Soil)
}

// TestACrewsPaceIsLearnedFromItsWalks: a house that heads back at twice the house's rate is told so,
// with a range that narrows, and a mark that is taken back says nothing.
func TestACrewsPaceIsLearnedFromItsWalks(t *testing.T) {
	h, _ := rowed(t)
	tags := h.tagsOf(h.budded(30), h.ansel)
	alone := rows.Crew{Budders: 1, HoursA: 4, HoursB: 3.5}
	first, err := h.Rows(ctx, rows.HeadBack, alone)
	require.NoError(t, err)
	assert.Zero(t, first.Walked.Tags)
	assert.InDelta(t, 1, first.Of.Mean, 1e-9, "the house's rate")
	marks := func(day string, from, many, every int) {
		_, err := h.DB.Exec(`insert into step_done (act, tag_id, knot, n, on_day, person_id, at, trees)
			select gen_random_uuid(), (select id from tag where code = $1), 'head back', $3 + i, $2::date,
				(select id from person where sign_in = 'ansel'), ($2 || ' 08:00')::timestamptz + i * $5 * interval '1 minute', 100
			from generate_series(1, $4::int) i`, tags[0].Code, day, from, many, every)
		require.NoError(t, err)
	}
	marks("2027-03-02", 0, 5, 20) // 100 in 20 minutes are 300 an hour
	some, err := h.Rows(ctx, rows.HeadBack, alone)
	require.NoError(t, err)
	assert.Equal(t, 4, some.Walked.Tags, "the first of a day says nothing")
	assert.InDelta(t, 400.0/(4.0/3), some.Walked.Grafts/some.Walked.Hours, 1e-9)
	assert.InDelta(t, (100+400)/(100+150*4.0/3), some.Of.Mean, 1e-9)
	marks("2027-03-03", 100, 20, 22)
	more, err := h.Rows(ctx, rows.HeadBack, alone)
	require.NoError(t, err)
	assert.Equal(t, 23, more.Walked.Tags)
	assert.Less(t, more.Of.High/more.Of.Low, some.Of.High/some.Of.Low)
	w := words.CrewWorking(string(rows.HeadBack), 2, more.Walked, more.Of)
	assert.Contains(t, w.Range, "90 %")
	assert.Len(t, w.Inputs, 2)
	off, err := h.Rows(ctx, rows.TapeOff, alone)
	require.NoError(t, err)
	assert.Zero(t, off.Walked.Tags, "each work has marks of its own")
	_, err = h.DB.Exec(`update step_done set undone_at = now()`)
	require.NoError(t, err)
	none, err := h.Rows(ctx, rows.HeadBack, alone)
	require.NoError(t, err)
	assert.Zero(t, none.Walked.Tags)
}

// TestACrewThatBudsGoesByItsOwnTags: a house that buds at half of the house's rate has days twice as
// long in its rows, of those alone and of those by two.
func TestACrewThatBudsGoesByItsOwnTags(t *testing.T) {
	h, _ := rowed(t)
	h.tagsOf(h.budded(30), h.ansel)
	two := rows.Crew{Budders: 2, Wrappers: 1, HoursA: 4, HoursB: 3.5}
	crew := rows.Crew{Budders: 2, HoursA: 4, HoursB: 3.5}
	first, err := h.Rows(ctx, rows.Bud, crew)
	require.NoError(t, err)
	require.NotEmpty(t, first.Turns)
	rate := first.Own.Alone.Rate
	require.Positive(t, rate)
	assert.InDelta(t, 2*rate/float64(first.Buds), first.AnHour, 1e-9, "nothing is known yet: the house's rate")
	behind, err := h.Rows(ctx, rows.Bud, two)
	require.NoError(t, err)
	// Tags of the same technique, made at half the rate, in the months that are learned from.
	done := func(n int, tier string) {
		_, err := h.DB.Exec(`insert into tag (code, batch_id, lot_id, bundle_id, technique, worker_id, tier_id, day, planned, tied, buds,
				pace_hours)
			select 'done-' || $1 || $3 || i, t.batch_id, t.lot_id, t.bundle_id, t.technique, t.worker_id,
				(select id from person where sign_in = nullif($3, '')), t.day, 40, 40, 1, 80.0 / $2
			from (select * from tag order by id limit 1) t, generate_series(1, $1::int) i`, n, rate, tier)
		require.NoError(t, err)
	}
	done(20, "")
	slow, err := h.Rows(ctx, rows.Bud, crew)
	require.NoError(t, err)
	assert.Equal(t, 20, slow.Own.Alone.Tags)
	assert.InDelta(t, (100.0+800)/(100+1600), slow.Of.Mean, 1e-9)
	assert.InDelta(t, first.AnHour*slow.Of.Mean, slow.AnHour, 1e-9)
	assert.InDelta(t, first.ADay*slow.Of.Mean, slow.ADay, 1e-9)
	assert.Less(t, slow.Of.High/slow.Of.Low, first.Of.High/first.Of.Low)
	still, err := h.Rows(ctx, rows.Bud, two)
	require.NoError(t, err)
	assert.InDelta(t, behind.AnHour*slow.Of.Mean, still.AnHour, 1e-9, "who is slow alone is slow in a crew until its own tags say")
	done(10, "maud")
	more, err := h.Rows(ctx, rows.Bud, two)
	require.NoError(t, err)
	assert.Equal(t, 10, more.Own.Pairs.Tags)
	assert.Less(t, more.AnHour, still.AnHour)
	w := words.BuddingWorking(more.By, 2, 1, more.Buds, more.Own.Alone, more.Own.Pairs, more.Of, 0.6, more.AnHour)
	assert.Equal(t, words.CrewHour(more.AnHour), w.Answer)
	assert.Len(t, w.Inputs, 5)
}

func TestARowIsRenumberedWithAllThatStandsInIt(t *testing.T) {
	h, row := rowed(t)
	other, err := h.AddRow(ctx, h.maud, rows.NewRow{Field: "north field", Number: 4, Bearing: 90, WindFrom: -1, SpacingCM: 25})
	require.NoError(t, err)
	require.NoError(t, h.AddLot(ctx, h.maud, lot("L-2", 15)))
	_, err = h.Stand(ctx, h.maud, other, rows.Standing{Lot: "L-2"})
	require.NoError(t, err)
	_, err = h.AddRow(ctx, h.maud, rows.NewRow{Field: "North Field", Number: 4, SpacingCM: 25})
	isProblem(t, err, "already there")
	tags := h.tagsOf(h.budded(30), h.ansel)
	for tags[0].Lot != "L-1" {
		tags = tags[1:]
	}
	isProblem(t, h.Renumber(ctx, h.maud, row, "north field", 4, false), "change numbers")
	require.NoError(t, h.Renumber(ctx, h.maud, row, "north field", 4, true))
	a, err := h.Row(ctx, row)
	require.NoError(t, err)
	b, err := h.Row(ctx, other)
	require.NoError(t, err)
	assert.Equal(t, [2]int{4, 3}, [2]int{a.Number, b.Number})
	assert.Equal(t, 3, a.Were[0].Number)
	for lot, place := range map[string]string{"L-1": "north field, row 4", "L-2": "north field, row 3"} {
		l, err := h.DB.Q().LotByCode(ctx, lot)
		require.NoError(t, err)
		assert.Equal(t, place, l.Place, lot)
	}
	tag, err := h.DB.Q().TagByCode(ctx, tags[0].Code)
	require.NoError(t, err)
	assert.Equal(t, "north field, row 4", tag.Stands(), "a label's code is the same, and stands where the row is now")
	require.NoError(t, h.Renumber(ctx, h.maud, row, "north field", 7, false))
	a, err = h.Row(ctx, row)
	require.NoError(t, err)
	assert.Equal(t, "north field, row 7", a.Place)
}

func TestTheDaysFormPairsWhereTheyPay(t *testing.T) {
	h := newHouse(t)
	h.stocked(400, 90, 260)
	_, err := h.DB.Exec(`update technique set in_use = key = 'whip-and-tongue'`)
	require.NoError(t, err)
	week := func(knows ...string) days.Week {
		w := days.Week{Knows: knows}
		for d := 1; d <= 5; d++ {
			w.Hours[d][1], w.Hours[d][2] = 4, 3.5
		}
		return w
	}
	require.NoError(t, h.SetWeek(ctx, h.maud, h.ansel.ID, week("whip-and-tongue")))
	require.NoError(t, h.SetWeek(ctx, h.maud, h.odile.ID, week())) // she cannot cut yet
	require.NoError(t, h.SetWeek(ctx, h.maud, h.maud.ID, days.Week{}))
	h.batch("O-1", 260)
	h.plan()
	for _, tag := range h.openTags() {
		assert.Nil(t, tag.TierID, "in a house that works solo nobody ties for another")
	}
	lastDay := func() (out time.Time) {
		for _, tag := range h.openTags() {
			if tag.Day.After(out) {
				out = tag.Day
			}
		}
		return out
	}
	alone := lastDay()
	require.NoError(t, h.ChooseWay(ctx, h.maud, string(ways.Team), "cutter and tier"))
	h.plan()
	paired := 0
	for _, tag := range h.openTags() {
		assert.Equal(t, h.ansel.ID, tag.WorkerID)
		if tag.TierID != nil {
			paired++
			assert.Equal(t, h.odile.ID, *tag.TierID)
		}
	}
	assert.Positive(t, paired)
	assert.False(t, lastDay().After(alone), "a pair is done no later than he alone")
	assert.Empty(t, h.days().Score.Late)
	// The plan is read as it was reckoned: a cutter with a tier behind is not over his hours.
	for _, r := range h.days().Rows {
		for _, c := range r.Cells {
			for _, says := range c.Says {
				assert.NotContains(t, says, "hours", "%s on %s", r.Hand.Person.Name, c.Day)
			}
		}
	}
	// She is away: it is said where she ties.
	var day time.Time
	for _, tag := range h.openTags() {
		if tag.TierID != nil {
			day = tag.Day
		}
	}
	require.NoError(t, h.AddAway(ctx, h.maud, h.odile.ID, day, day, "ill"))
	said := false
	for _, r := range h.days().Rows {
		for _, c := range r.Cells {
			for _, says := range c.Says {
				said = said || says == words.TierAway("Odile")
			}
		}
	}
	assert.True(t, said)
	require.NoError(t, h.UndoPlan(ctx, h.maud))
	for _, tag := range h.openTags() {
		assert.Nil(t, tag.TierID, "taken back, nobody ties for another")
	}
	// A tier without a cutter.
	isProblem(t, h.HandOver(ctx, h.maud, h.openTags()[0].Code, 0, h.odile.ID), "has to cut")
}

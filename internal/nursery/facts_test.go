package nursery_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/tally"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/bench"
	"unionknot/internal/nursery/days"
	"unionknot/internal/nursery/growon"
	"unionknot/internal/nursery/heal"
	"unionknot/internal/nursery/match"
	"unionknot/internal/nursery/places"
	"unionknot/internal/nursery/season"
	"unionknot/internal/nursery/stages"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/testhouse"
)

// slowSums are what the sums that are kept must be, added up from the records:
// each query gives the rows that differ.
var slowSums = map[string]string{
	"tied and the rest of a tag": `with good as (select y.* from tally y where held is null and kind <> 'undo' and not exists (select 1
		from tally u where u.undoes = y.id and u.held is null)),
		wiped as (select tag_id, max(at) as at from good where kind in ('wiped', 'new blade') group by 1),
		s as (select t.id, coalesce(sum(g.n) filter (where kind = 'tied'), 0) as tied,
			coalesce(sum(g.n) filter (where kind = 'spoiled stock'), 0) as ss, coalesce(sum(g.n) filter (where kind = 'spoiled wood'), 0)
			as sw,
			coalesce(sum(g.n) filter (where kind = 'dropped'), 0) as d, coalesce(sum(g.n) filter (where kind = 'set aside'), 0) as sa,
				coalesce(sum(g.n) filter (where kind = 'tied' and (w.at is null or g.at > w.at)), 0) as wi
			from tag t left join good g on g.tag_id = t.id left join wiped w on w.tag_id = t.id group by 1)
		select count(*) from tag t join s using (id)
			where (t.tied, t.spoiled_stock, t.spoiled_wood, t.dropped, t.set_aside, t.since_wipe) is distinct
			from (s.tied, s.ss, s.sw, s.d, s.sa, s.wi)`,
	"taps refused": `select count(*) from tag t where refused <> (select count(*) from tally y where y.tag_id = t.id
		and held is not null and kind <> 'undo')`,
	"stems back":  `select count(*) from tag t where stock_back <> ` + backOf("stock_ledger"),
	"pieces back": `select count(*) from tag t where wood_back <> ` + backOf("wood_ledger"),
	"bounds and mismatch": `select count(*) from tag t
		join (select tag_id, min(stock_mm) - 0.25 as a, max(stock_mm) + 0.25 as b, min(wood_mm) - 0.25 as c, max(wood_mm) + 0.25 as d,
		sum(n * abs(1 - wood_mm / stock_mm)) / sum(n) as m from tag_thread group by 1) h on h.tag_id = t.id
			where (stock_low, stock_high, wood_low, wood_high) <> (a, b, c, d) or abs(mismatch - m) > 1e-9`,
	"grafts on tags": `select count(*) from batch b where tagged <> coalesce((select sum(planned) from tag t where t.batch_id = b.id), 0)`,
	"pace": `select count(*)
		from (select worker_id, date_trunc('month', day)::date as month, technique, count(*) as tags, sum(tied * buds) as grafts,
		sum(pace_hours) as hours,
			sum(ln(tied * buds / pace_hours)) as l
		from tag where pace_hours is not null and tier_id is null group by 1, 2, 3) s full join (select * from pace_sum
			where tags > 0) p using (worker_id, month, technique)
		where s.tags is distinct from p.tags or abs(s.grafts - p.grafts) > 1e-6 or abs(s.hours - p.hours) > 1e-6 or abs(s.l - p.log_sum)
		> 1e-6`,
	"tags that say something of the pace": `select count(*) from tag t where pace_hours is null and finished_at is not null and tied >= 5
		and (select max(at) filter (where kind = 'finish') - min(at) from tally y where y.tag_id = t.id and held is null
			and kind <> 'undo' and not exists (select 1 from tally u where u.undoes = y.id)) between interval '5 minutes' and interval
			'4 hours'`,
	"bundles of a plant": `select count(*) from mother_plant m where (bundles, last_bundle_id) is distinct from ((select count(*)
		from wood_bundle b where b.plant_id = m.id),
		(select id from wood_bundle b where b.plant_id = m.id order by cut_on desc, id desc limit 1))`,
}

func backOf(table string) string {
	return `(select coalesce(sum(case when from_account = 'aside' then n else -n end), 0) from ` + table + ` l where l.tag_id = t.id
		and (from_account = 'aside' and to_account <> 'grafted' or to_account = 'aside' and from_account <> 'grafted'))`
}

func sumsHold(t testing.TB, db *store.DB, when string) {
	t.Helper()
	for name, query := range slowSums {
		var n int
		require.NoError(t, db.Get(&n, query), name)
		assert.Zero(t, n, "%s: %s", when, name)
	}
}

func TestSumsAreWhatTheRecordsAddUpTo(t *testing.T) {
	sumsHold(t, testhouse.Demo(t), "the demo")

	h := newHouse(t)
	h.stocked(240, 60, 150)
	tags := h.tagsOf(h.batch("O-1", 120), h.ansel, h.odile)
	kinds := []string{"tied", "tied", "tied", "spoiled stock", "spoiled wood", "dropped", "set aside", "wiped", "finish", "undo"}
	r := rand.New(rand.NewPCG(3, 4))
	sent := map[string][]string{}
	at := h.Now()
	for step := range 400 {
		at = at.Add(time.Duration(r.IntN(40)) * time.Second)
		h.StandAt(at)
		tag := tags[r.IntN(len(tags))].Code
		var taps []bench.Tap
		for range 1 + r.IntN(3) {
			x := bench.Tap{ID: h.uuid(), Kind: kinds[r.IntN(len(kinds))], N: 1}
			if x.Kind == "undo" {
				x.Undoes = h.uuid()
				if s := sent[tag]; len(s) > 0 && r.IntN(5) > 0 {
					x.Undoes = s[max(0, len(s)-1-r.IntN(6))]
				}
			}
			if x.Kind == "finish" && step < 200 {
				x.Kind = "tied"
			}
			sent[tag] = append(sent[tag], x.ID)
			taps = append(taps, x)
		}
		if r.IntN(6) == 0 { // and some of it is sent again
			taps = append(taps, taps[0])
		}
		_, err := h.Tap(ctx, h.maud, tag, taps)
		require.NoError(t, err)
		if step%80 == 79 {
			sumsHold(t, h.db, fmt.Sprint("after ", step+1, " requests"))
		}
	}
}

// TestFactsMoveWhateverTheyAreChangedBy writes to every table whose facts
// outlive a request, by plain SQL as another server would, and sees the facts
// move.
func TestFactsMoveWhateverTheyAreChangedBy(t *testing.T) {
	db := testhouse.Demo(t)
	r := snapshot.NewReader(db, func() time.Time { return time.Date(2027, 2, 23, 14, 5, 0, 0, time.UTC) })
	read := func() *snapshot.Snapshot {
		s, err := r.Read(ctx, snapshot.Places)
		require.NoError(t, err)
		return s
	}
	for _, c := range []struct {
		table, write string
		fact         func(*snapshot.Snapshot) any
	}{
		{"house", `update house set tag_size = 31`, func(s *snapshot.Snapshot) any { return s.House.TagSize }},
		{"technique", `update technique set in_use = false where key = 'saddle'`,
			func(s *snapshot.Snapshot) any { return len(s.Techniques) }},
		{"house_way", `update house_way set chosen = 'short, 25–35° to the stem' where key = 'cut face length'`,
			func(s *snapshot.Snapshot) any { return s.Way("cut face length").Chosen }},
		{"tie", `update tie set name = 'tape' where key = 'film'`, func(s *snapshot.Snapshot) any { return s.Ties }},
		{"healing_way", `update healing_way set days_max = days_max + 1`, func(s *snapshot.Snapshot) any { return s.Healing }},
		{"genus", `update genus set logit_shift = -1 where key = 'pear'`,
			func(s *snapshot.Snapshot) any { return s.Genus("pear").LogitShift }},
		{"cause", `insert into cause (key, sort) values ('mice', 99)`, func(s *snapshot.Snapshot) any { return s.Causes }},
		{"genus_section", `insert into genus_section values ('pear', 'perry', 1)`,
			func(s *snapshot.Snapshot) any { return s.SectionsOf("pear") }},
		{"section_pair", `delete from section_pair`, func(s *snapshot.Snapshot) any {
			_, ok := s.SectionPair("peach", "peach and almond", "plum", "cherry plum")
			return ok
		}},
		{"compatibility", `update compatibility set note = 'slow' where scion_genus = 'pear' and stock_genus = 'quince'`,
			func(s *snapshot.Snapshot) any {
				p, _ := s.Pair("pear", "quince")
				return p
			}},
		{"station", `insert into station (name, seats) values ('shed', 9)`, func(s *snapshot.Snapshot) any { return len(s.Stations) }},
		{"season_group", `update season_group set rests = not rests where key = 'tender'`,
			func(s *snapshot.Snapshot) any { return s.Groups }},
		{"season_anchor", `update season_anchor set day = 20 where kind = 'bud swell'`,
			func(s *snapshot.Snapshot) any { return s.Year("pome").Dated }},
		{"site_normal", `update site_normal set mean_c = mean_c + 2`, func(s *snapshot.Snapshot) any { return s.Known.Normals }},
		{"weather_day", `delete from weather_day where on_day > '2027-02-10'`,
			func(s *snapshot.Snapshot) any { return len(s.Known.Weather) }},
		{"season_seen", `update season_seen set dropped_at = now()`, func(s *snapshot.Snapshot) any { return s.Year("maple").Dated }},
		{"person", `update person set role = 'looker' where sign_in = 'pim'`, func(s *snapshot.Snapshot) any { return s.All }},
		{"person_hours", `delete from person_hours`, func(s *snapshot.Snapshot) any { return len(s.Hours) }},
		{"person_skill", `delete from person_skill where technique = 'splice'`, func(s *snapshot.Snapshot) any { return len(s.Skills) }},
		{"person_away", `delete from person_away`, func(s *snapshot.Snapshot) any { return len(s.Aways) }},
		{"hand_stray",
			`insert into hand_stray (person_id, n, sd_mm, by_id, at) select id, 9, 0.4, id, now() from person where sign_in = 'ansel'`,
			func(s *snapshot.Snapshot) any { return len(s.Strays) }},
		{"tag, a finish",
			`update tag set pace_hours = 1 where pace_hours is not null and id = (select max(id) from tag where pace_hours is not null
				and tier_id is null)`,
			func(s *snapshot.Snapshot) any { return s.Paces }},
		{"take_count",
			`insert into take_count (id, tag_id, look, counted_on, taken, doubtful, dead, person_id, at)
				select gen_random_uuid(), t.id, 'first look', '2027-02-23', 1, 0, 0, t.worker_id, now() from tag t where look_id is null
				limit 1`,
			func(s *snapshot.Snapshot) any { return s.Stamp.Takes }},
		{"store_place", `update store_place set set_c = 3 where name = 'cold store 1'`,
			func(s *snapshot.Snapshot) any { p, _ := s.Place("cold store 1"); return p.SetC }},
		{"store_reading",
			`insert into store_reading (place_id, at, c, source) select id, '2027-02-23 14:03:11Z', 9, 'by hand' from store_place
				where name = 'cold store 1'`,
			func(s *snapshot.Snapshot) any { p, _ := s.Place("cold store 1"); return len(p.Readings) }},
		{"store_reading, struck", `delete from store_reading where at = '2027-02-23 14:03:11Z'`,
			func(s *snapshot.Snapshot) any { p, _ := s.Place("cold store 1"); return len(p.Readings) }},
	} {
		t.Run(c.table, func(t *testing.T) {
			before := c.fact(read())
			n, err := db.Exec(c.write)
			require.NoError(t, err)
			rows, _ := n.RowsAffected()
			require.Positive(t, rows)
			assert.NotEqual(t, before, c.fact(read()))
		})
	}
	assert.Equal(t, read().Stamp, read().Stamp, "reading moves nothing")
}

// TestACrowdMeetsNoDeadlock lets planners on two servers make batches, take them
// back, share them out and plan the days, while hands tap and files are loaded.
func TestACrowdMeetsNoDeadlock(t *testing.T) {
	h := aloneInHouse(t) // how many began again is counted for the whole process
	h.stocked(2000, 400, 300)
	for i := 2; i <= 6; i++ {
		h.order(fmt.Sprintf("O-%d", i), 60)
		require.NoError(t, h.AddLot(ctx, h.maud, lot(fmt.Sprintf("L-%d", i), 300)))
	}
	live := h.tagsOf(h.batch("O-6", 40), h.ansel, h.odile)
	second, err := stages.New(ctx, testhouse.Beside(t, h.db, 12), testhouse.Quiet)
	require.NoError(t, err)
	second.StandAt(h.Now())
	servers := []*stages.Set{h.Set, second}
	store.Retried.Store(0)

	var ids sync.Mutex
	uuid := func() string {
		ids.Lock()
		defer ids.Unlock()
		return h.uuid()
	}
	fine := func(err error) {
		var p nursery.Problem
		var ps nursery.Problems
		if err != nil && !errors.As(err, &p) && !errors.As(err, &ps) && !errors.Is(err, nursery.ErrNotFound) {
			t.Errorf("%v", err)
		}
	}
	var all sync.WaitGroup
	for w := range 50 {
		s := servers[w%2]
		r := rand.New(rand.NewPCG(uint64(w), 77))
		all.Go(func() {
			for range 5 {
				switch r.IntN(12) {
				case 0:
					p, err := s.Programme(ctx, match.ProgrammeAsked{})
					fine(err)
					_, err = s.MakeProgramme(ctx, h.maud, match.MakeProgramme{Print: p.Print, Once: uuid(), Tie: "film"})
					fine(err)
				case 1:
					order := fmt.Sprintf("O-%d", 1+r.IntN(6))
					p, err := s.Match(ctx, order, match.Asked{Grafts: 12})
					fine(err)
					code, err := s.MakeBatch(
						ctx,
						h.maud,
						order,
						match.MakeBatch{Asked: match.Asked{Grafts: 12}, Print: p.Print, Once: uuid(), Tie: "film", Healing: "cold callus"},
					)
					fine(err)
					if code != "" {
						fine(s.MakeTags(ctx, h.maud, code, s.Today(), []int64{h.ansel.ID, h.odile.ID}))
					}
				case 2:
					bs, err := s.FreshBatches(ctx)
					fine(err)
					var codes []string
					for _, b := range bs[:min(3, len(bs))] {
						codes = append(codes, b.Code)
					}
					r.Shuffle(len(codes), func(i, j int) { codes[i], codes[j] = codes[j], codes[i] })
					fine(s.UndoBatches(ctx, h.maud, codes))
				case 3:
					_, err := s.PlanDays(ctx, h.maud)
					fine(err)
				case 4:
					fine(s.UndoPlan(ctx, h.maud))
				case 5:
					fine(s.AddReadings(ctx, h.maud, fmt.Sprintf("L-%d", 1+r.IntN(6)), []float64{8.5}))
				case 6: // what another tapped on a tag, of which the propagator decides
					x := live[r.IntN(len(live))]
					_, err := s.TapAll(ctx, h.odile, fmt.Sprint("t", w), []bench.Tap{{ID: uuid(), Code: x.Code, Kind: "tied", N: 1,
						No: int64(w)}})
					fine(err)
					do := []tally.Decision{tally.Count, tally.Leave, ""}[r.IntN(3)]
					fine(s.Settle(ctx, h.maud, bench.Settling{Code: x.Code, Worker: h.odile.ID, Do: do}))
				case 7:
					fine(s.HandOver(ctx, h.maud, live[r.IntN(len(live))].Code, []int64{h.ansel.ID, h.odile.ID}[r.IntN(2)], 0))
				case 8:
					l := fmt.Sprintf("L-%d", 1+r.IntN(6))
					_, err := s.Recount(ctx, h.maud, l, 40+r.IntN(200))
					fine(err)
				case 9:
					_, err := s.MoveStems(ctx, h.maud, fmt.Sprintf("L-%d", 2+r.IntN(5)), stock.Moving{Doing: "lined out", N: 1 + r.IntN(3),
						Place: "row 1", NewCode: "N-" + uuid()[:8]})
					fine(err)
				case 10:
					var codes []string
					for _, x := range live[:min(3, len(live))] {
						codes = append(codes, x.Code)
					}
					r.Shuffle(len(codes), func(i, j int) { codes[i], codes[j] = codes[j], codes[i] })
					fine(s.SetHealPlace(ctx, h.maud, codes, "box 1"))
					fine(s.LockTags(ctx, h.maud, codes, r.IntN(2) == 0))
				case 11:
					x := live[r.IntN(len(live))]
					_, err := s.Do(ctx, h.maud, []growon.Act{{ID: uuid(), Kind: growon.Lost, N: 1, Cause: "dried out",
						Items: []growon.Item{{Code: x.Code}}}})
					fine(err)
				}
			}
		})
	}
	for w := range 4 {
		s := servers[w%2]
		r := rand.New(rand.NewPCG(uint64(w), 78))
		all.Go(func() {
			for range 40 {
				x := live[r.IntN(len(live))]
				kind := []string{"tied", "tied", "spoiled stock", "set aside", "dropped"}[r.IntN(5)]
				_, err := s.Tap(ctx, h.maud, x.Code, []bench.Tap{{ID: uuid(), Kind: kind, N: 1}})
				fine(err)
			}
		})
	}
	all.Wait()
	assert.Zero(t, store.Retried.Load(), "everybody locks in one order")
	sumsHold(t, h.db, "after the crowd")
	h.stems("L-1")
}

// TestOneConnectionIsEnough does a season's commands on a pool of one: whoever
// reads outside the transaction that it holds would wait for itself for ever.
func TestOneConnectionIsEnough(t *testing.T) {
	h := newHouse(t)
	one, err := stages.New(ctx, testhouse.Beside(t, h.db, 1), testhouse.Quiet)
	require.NoError(t, err)
	h.Set = one
	h.on(2027, 2, 10)
	bound, end := context.WithTimeout(ctx, time.Minute)
	defer end()
	go func() {
		<-bound.Done()
		if errors.Is(bound.Err(), context.DeadlineExceeded) {
			panic("somebody waits for a connection that they hold themselves")
		}
	}()
	h.stocked(240, 60, 100)
	require.NoError(t, h.SetSections(ctx, h.maud, "O-1", "", ""))
	require.NoError(t, h.AddColdPlace(ctx, h.maud, places.NewColdPlace{Name: "store", SetC: 1, LowC: 0, HighC: 4}))
	require.NoError(t, h.ReadCold(ctx, h.maud, "store", 1.5))
	require.NoError(t, h.LookAtCold(ctx, h.maud, "store", places.NewLook{Bundle: "W-1", Found: "mould", Thrown: 2}))
	require.NoError(t, h.LetBundleIn(ctx, h.maud, "W-1", "the mouldy ones are out"))
	require.NoError(t, h.NoteSeen(ctx, h.maud, "pome", season.NewSeen{Says: "buds tight"}))
	require.NoError(
		t,
		h.SetWeek(
			ctx,
			h.maud,
			h.ansel.ID,
			days.Week{Knows: []string{"whip-and-tongue", "splice"}, Hours: [8][3]float64{3: {0, 4, 3}, 4: {0, 4, 3}}},
		),
	)
	code := h.batch("O-1", 40)
	tags := h.tagsOf(code, h.ansel, h.odile)
	require.NoError(t, h.HandOver(ctx, h.maud, tags[0].Code, h.odile.ID, 0))
	require.NoError(t, h.LockTags(ctx, h.maud, []string{tags[0].Code}, true))
	h.tap(h.maud, tags[0].Code, "tied", 3)
	h.tap(h.maud, tags[0].Code, "finish", 1)
	require.NoError(
		t,
		h.KeepCount(
			ctx,
			h.maud,
			tags[0].Code,
			heal.NewCount{ID: h.uuid(), Look: "first look", Taken: 2, Dead: 1, Causes: map[string]int{"dried out": 1}},
		),
	)
	p, err := h.Programme(ctx, match.ProgrammeAsked{})
	require.NoError(t, err)
	if p.Weave.Paired > 0 {
		_, err = h.MakeProgramme(ctx, h.maud, match.MakeProgramme{Print: p.Print, Once: h.uuid(), Tie: "film"})
		require.NoError(t, err)
	}
	_, err = h.PlanDays(ctx, h.maud)
	require.NoError(t, err)
	fresh, err := h.FreshBatches(ctx)
	require.NoError(t, err)
	for _, b := range fresh {
		require.NoError(t, h.UndoBatch(ctx, h.maud, b.Code))
	}
	_, err = h.Recount(ctx, h.maud, "L-1", 100)
	require.NoError(t, err)
	id, err := h.ReadFile(
		ctx,
		h.maud,
		"lots",
		"x.csv",
		[]byte("code,genus,stock,received_on,form,stems\nL-9,quince,Tarn Q3,2027-01-10,potted,20\n"),
	)
	require.NoError(t, err)
	require.NoError(t, h.LoadNow(ctx, h.maud, id))
	_, err = h.TodayPage(ctx, h.maud)
	require.NoError(t, err)
}

// TestTapsOfManyBenchesCountOnceEach sends taps from forty benches at two
// servers, some of them twice and some to a tag that is full: what was
// acknowledged is on disk, counts once, and never more than was laid out.
func TestTapsOfManyBenchesCountOnceEach(t *testing.T) {
	h := newHouse(t)
	h.stocked(600, 120, 200)
	tags := h.tagsOf(h.batch("O-1", 200), h.ansel, h.odile)
	second, err := stages.New(ctx, testhouse.Beside(t, h.db, 12), testhouse.Quiet)
	require.NoError(t, err)
	second.StandAt(h.Now())
	servers := []*stages.Set{h.Set, second}
	var ids [40][8]string
	for i := range ids {
		for k := range ids[i] {
			ids[i][k] = h.uuid()
		}
	}
	var all sync.WaitGroup
	for i := range ids {
		tag := tags[i%len(tags)]
		all.Go(func() {
			for k, id := range ids[i] {
				tap := []bench.Tap{{ID: id, Kind: "tied", N: 1}}
				for range 1 + k%2 { // every other one is sent twice
					done, err := servers[(i+k)%2].Tap(ctx, h.maud, tag.Code, tap)
					if err != nil || len(done.Safe) != 1 {
						t.Errorf("tap %s: %v %v", id, err, done)
					}
				}
			}
		})
	}
	all.Wait()
	var kept, more int
	require.NoError(t, h.db.Get(&kept, `select count(*) from tally`))
	assert.Equal(t, len(ids)*len(ids[0]), kept, "every tap is kept, once")
	require.NoError(t, h.db.Get(&more, `select count(*) from tag where tied > planned`))
	assert.Zero(t, more)
	sumsHold(t, h.db, "after the benches")
}

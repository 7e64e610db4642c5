package main

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/season"
	"unionknot/internal/core/wood"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/access"
	"unionknot/internal/nursery/house"
	"unionknot/internal/nursery/places"
	"unionknot/internal/nursery/stages"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/testhouse"
)

// TestServersInAnyZoneAgree starts servers on machines in several zones: the first one's
// is the house's, and all tell its days.
func TestServersInAnyZoneAgree(t *testing.T) {
	was := time.Local
	t.Cleanup(func() { time.Local = was })
	ctx := context.Background()
	db := testhouse.Empty(t)
	for i, machine := range []string{"Pacific/Auckland", "America/Lima", "UTC", "Europe/Dublin"} {
		t.Setenv("TZ", machine)
		require.NoError(t, standIn(ctx, db), "%d", i)
		assert.Equal(t, "Pacific/Auckland", time.Local.String())
		var sql string
		require.NoError(t, db.Get(&sql, `show timezone`))
		assert.Equal(t, "Pacific/Auckland", sql, "the database too")
	}
	n, err := stages.New(ctx, db, testhouse.Quiet)
	require.NoError(t, err)
	n.StandAt(time.Date(2027, time.February, 9, 12, 30, 0, 0, time.UTC))
	assert.Equal(t, "2027-02-10", n.Today().Format(time.DateOnly))
}

// TestBothNightsOnWhichClocksMove holds days, hours and gaps right on the night of 23
// hours and on that of 25.
func TestBothNightsOnWhichClocksMove(t *testing.T) {
	was := time.Local
	t.Cleanup(func() { time.Local = was })
	ctx := context.Background()
	db := testhouse.Empty(t)
	t.Setenv("TZ", "Europe/Dublin")
	require.NoError(t, standIn(ctx, db))
	n, err := stages.New(ctx, db, testhouse.Quiet)
	require.NoError(t, err)
	code, err := n.SetupCode(ctx)
	require.NoError(t, err)
	maud, err := n.FirstPropagator(ctx, code, "Test", "Maud", "maud", "three blunt knives")
	require.NoError(t, err)
	require.NoError(t, n.AddPerson(ctx, maud, access.NewPerson{Name: "Ansel", SignIn: "ansel", Role: "bench hand", PIN: "2468"}))
	for _, night := range []struct {
		name  string
		day   time.Time // whose night it is
		hours float64   // from its midnight to the next
	}{
		{"forward", time.Date(2027, time.March, 28, 0, 0, 0, 0, time.Local), 23},
		{"back", time.Date(2027, time.October, 31, 0, 0, 0, 0, time.Local), 25},
	} {
		t.Run(night.name, func(t *testing.T) {
			next := night.day.AddDate(0, 0, 1)
			require.Equal(t, night.hours, next.Sub(night.day).Hours())
			for at := night.day.Add(-2 * time.Hour); at.Before(next.Add(2 * time.Hour)); at = at.Add(30 * time.Minute) {
				n.StandAt(at)
				want := night.day
				switch {
				case at.Before(night.day):
					want = want.AddDate(0, 0, -1)
				case !at.Before(next):
					want = next
				}
				assert.Equal(t, want.Format(time.DateOnly), n.Today().Format(time.DateOnly), at.String())
				assert.Equal(t, 1, season.Days(n.Today().AddDate(0, 0, -1), n.Today()))
				// The database tells the same day of the same moment.
				var sql time.Time
				require.NoError(t, db.Get(&sql, `select $1::timestamptz::date`, at))
				assert.Equal(t, want.Format(time.DateOnly), sql.Format(time.DateOnly))
			}
			// A logger that reads each hour through it leaves no gap and doubles no hour.
			name := "store " + night.name
			require.NoError(t, n.AddColdPlace(ctx, maud, places.NewColdPlace{Name: name, SetC: 1, LowC: 0, HighC: 4}))
			var rs []wood.Reading
			for at := night.day.Add(-6 * time.Hour); at.Before(next.Add(6 * time.Hour)); at = at.Add(time.Hour) {
				rs = append(rs, wood.Reading{At: at, C: 1.5})
			}
			n.StandAt(next.Add(6 * time.Hour))
			key, err := n.LoggerKey(ctx, maud, name)
			require.NoError(t, err)
			kept, err := n.Intake(ctx, key, rs)
			require.NoError(t, err)
			assert.Equal(t, int(night.hours)+12, kept)
			// What came in on it stands on its day.
			n.StandAt(night.day.Add(90 * time.Minute))
			l := stock.NewLot{Code: "L-" + night.name, Genus: "pear", StockType: "Test", Form: "bare-root", ReceivedOn: n.Today(),
				Received: 9}
			require.NoError(t, n.AddLot(ctx, maud, l))
			_, err = n.MoveStems(ctx, maud, l.Code, stock.Moving{Doing: "lined out", Place: "row 1"})
			require.NoError(t, err)
			p, err := n.Lot(ctx, l.Code, 0)
			require.NoError(t, err)
			assert.Equal(t, night.day.Format(time.DateOnly), p.Story[1].On.Local().Format(time.DateOnly))
		})
	}
}

func TestAZoneThatIsNotThereIsRefused(t *testing.T) {
	ctx := context.Background()
	db := testhouse.Empty(t)
	n, err := stages.New(ctx, db, testhouse.Quiet)
	require.NoError(t, err)
	maud := nursery.Actor{ID: 1, Role: nursery.Propagator}
	err = n.ChangeSettings(ctx, maud, house.Settings{Name: "Test", TagSize: 20, ChancePct: 90, TimeZone: "Atlantis/Deep"})
	assert.ErrorContains(t, err, "Name the time zone")
}

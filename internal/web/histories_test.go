package web_test

import (
	"encoding/csv"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery/files"
	"unionknot/internal/store"
	"unionknot/internal/testhouse"
)

// TestEveryListIsTakenAwayWhole: as many rows as there are, the same as a sheet and as text,
// within the days that are asked for, by whom it may be, and noted in the record.
func TestEveryListIsTakenAwayWhole(t *testing.T) {
	h := open(t, testhouse.Demo(t))
	maud, vera := h.as(t, "maud"), h.as(t, "vera")
	_, _, _ = h.sendForm(t, maud, "/house/people/"+h.person(t, "pim")+"/leave")
	tables := map[string]string{"tags": "tag", "taps": "tap", "counts": "take_count", "steps": "step_done", "trees": "tree_move",
		"learner-looks": "verdict", "practice": "practice_sheet", "stock-ledger": "stock_ledger", "wood-ledger": "wood_ledger",
		"people": "person", "hours": "person_hours",
		"looks": "(select id from store_look union all select -id from lot_look) x", "changes": "change_record", "stock": "stock_lot",
		"wood": "wood_bundle", "mother-plants": "mother_plant", "all-orders": "orders", "caliper": "caliper_reading",
		"store-readings": "store_reading"}
	var keys []string
	for _, k := range files.HistoryKinds {
		keys = append(keys, k.Key)
	}
	assert.ElementsMatch(t, store.Histories(), keys)
	for _, k := range files.HistoryKinds {
		t.Run(k.Key, func(t *testing.T) {
			before := h.one(t, `select count(*)::text from `+tables[k.Key])
			status, _, text := h.ask(t, maud, http.MethodGet, "/export/"+k.Key+".csv")
			require.Equal(t, http.StatusOK, status)
			rows, err := csv.NewReader(strings.NewReader(text)).ReadAll()
			require.NoError(t, err)
			want := before
			if k.Key == "changes" { // taking it away is a line of it
				want = h.one(t, `select count(*)::text from change_record`)
			}
			assert.Equal(t, want, fmt.Sprint(len(rows)-1))
			assert.Contains(t, h.records(t, "list", k.Key)[0], `"format": "csv"`)
			status, _, sheet := h.ask(t, maud, http.MethodGet, "/export/"+k.Key+".xlsx")
			require.Equal(t, http.StatusOK, status)
			if len(rows) > 1 && k.Key != "changes" {
				table, err := exchange.ReadXLSX([]byte(sheet))
				require.NoError(t, err)
				assert.Equal(t, rows[0], table.Names)
				assert.Len(t, table.Rows, len(rows)-1)
			}
			status, _, _ = h.ask(t, vera, http.MethodGet, "/export/"+k.Key+".csv")
			assert.Equal(t, map[bool]int{true: http.StatusForbidden, false: http.StatusOK}[k.Boss], status)
		})
	}
	_, _, text := h.ask(t, maud, http.MethodGet, "/export/taps.csv?from=2027-02-22&to=2027-02-22")
	assert.Equal(
		t,
		h.one(t, `select count(*)::text from tap where at >= '2027-02-22' and at < '2027-02-23'`),
		fmt.Sprint(strings.Count(text, "\r\n")-1),
	)
	for _, q := range []string{"?from=2027-02-22&to=2027-02-01", "?from=02/03/2027"} {
		status, _, body := h.ask(t, maud, http.MethodGet, "/export/taps.csv"+q)
		assert.Equal(t, http.StatusUnprocessableEntity, status, q)
		assert.Contains(t, body, "That cannot be done")
	}
	status, _, _ := h.ask(t, maud, http.MethodGet, "/export/nothing.csv")
	assert.Equal(t, http.StatusNotFound, status)
}

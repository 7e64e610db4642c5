package words_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/words"
)

func TestTheRecordIsReadByPeople(t *testing.T) {
	for name, c := range map[string]struct {
		raw  string
		want []words.Recorded
	}{
		"nothing": {"", nil},
		"a word":  {`"raffia"`, []words.Recorded{{Value: "raffia"}}},
		"a yes":   {`true`, []words.Recorded{{Value: "yes"}}},
		"a list":  {`["Maud", "propagator"]`, []words.Recorded{{Value: "Maud, propagator"}}},
		"an order": {`{"Code": "O-9", "Trees": 120, "DueOn": "2028-03-01T00:00:00Z", "Buyer": "", "SeenTrueOn": "0001-01-01T00:00:00Z",
			"ID": 7}`,
			[]words.Recorded{{"code", "O-9"}, {"due on", "1 March 2028"}, {"trees", "120"}}},
		"a correction": {`{"why": "misread", "values": {"trees": "90", "due_on": "2028-03-01"}}`,
			[]words.Recorded{{"trees", "90"}, {"wanted by", "2028-03-01"}, {"why", "misread"}}},
		"no JSON": {`{`, []words.Recorded{{Value: "{"}}},
	} {
		t.Run(name, func(t *testing.T) { assert.Equal(t, c.want, words.Record(c.raw)) })
	}
}

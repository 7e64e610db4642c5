package supply_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/supply"
)

func TestAnOrderStandsOneWay(t *testing.T) {
	for _, c := range []struct {
		name  string
		s     supply.Standing
		want  supply.State
		short int
	}{
		{"no technique", supply.Standing{ToGo: 5}, supply.Unsized, 0},
		{"closed, whatever else", supply.Standing{Closed: true, ToGo: 5}, supply.Closed, 0},
		{"all made", supply.Standing{Sized: true}, supply.AllGrafted, 0},
		{"enough alive, whatever lies at the bench", supply.Standing{Sized: true, Met: true, Unfinished: 2}, supply.Met, 0},
		{"made ready, not made", supply.Standing{Sized: true, Unfinished: 2}, supply.AtTheBench, 0},
		{"nothing there", supply.Standing{Sized: true, ToGo: 5}, supply.NoneOfEither, 5},
		{"wood alone", supply.Standing{Sized: true, ToGo: 5, Pieces: 9}, supply.NoStock, 5},
		{"stock alone", supply.Standing{Sized: true, ToGo: 5, Stems: 9}, supply.NoWood, 5},
		{"too little", supply.Standing{Sized: true, ToGo: 5, Stems: 9, Pieces: 3}, supply.ShortOfBoth, 2},
		{"enough", supply.Standing{Sized: true, ToGo: 5, Stems: 5, Pieces: 5}, supply.Ready, 0},
		{"budded later", supply.Standing{Sized: true, ToGo: 5, Stems: 5, Summer: true, Shut: true}, supply.LaterInYear, 0},
		{"budded later, on too few stems", supply.Standing{Sized: true, ToGo: 5, Stems: 3, Summer: true, Shut: true}, supply.ShortOfStems,
			2},
		{"to be budded now", supply.Standing{Sized: true, ToGo: 5, Stems: 5, Summer: true}, supply.NoWood, 5},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, short := c.s.Stands()
			assert.Equal(t, c.want, got)
			assert.Equal(t, c.short, short)
		})
	}
}

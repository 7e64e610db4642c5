package own_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/core/own"
)

func TestAnOwnOfAnOwnIsMadeAsTheFirst(t *testing.T) {
	k := own.Key("warm union", 2)
	assert.True(t, own.Is(k))
	assert.False(t, own.Is("warm union"))
	assert.Equal(t, "warm union", own.Base(k))
	assert.Equal(t, "warm union", own.Base("warm union"))
	assert.Equal(t, own.Key("warm union", 3), own.Key(k, 3))
}

func ExampleBase() {
	fmt.Println(own.Base(own.Key("whip-and-tongue", 1)))
	// Output: whip-and-tongue
}

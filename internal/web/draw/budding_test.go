package draw_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/technique"
	"unionknot/internal/web/draw"

	"unionknot/internal/outlook"
)

func TestTheBuddingWeeksAreDrawn(t *testing.T) {
	day := func(m time.Month, d int) time.Time { return time.Date(2027, m, d, 0, 0, 0, 0, time.UTC) }
	b := outlook.Budding{Genus: "rose", Technique: "T-bud", ToGo: 800, PerDay: 400, Window: technique.Window{From: day(6, 19), To: day(7,
		6)},
		From: day(6, 19), Done: day(6, 21)}
	late := b
	late.Genus, late.Late = "plum", true
	svg := string(draw.Budding([]outlook.Budding{b, late}, day(2, 23)))
	require.Contains(t, svg, "rose, T-bud")
	assert.Contains(t, svg, "bud-crew")
	assert.Contains(t, svg, "bud-late")
	assert.Empty(t, draw.Budding(nil, day(2, 23)))
}

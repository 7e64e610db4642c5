package words

import (
	"fmt"

	"unionknot/internal/core/wood"
)

// Harm says what a store did to its wood.
func Harm(h wood.Harm) string {
	hours := h.To.Sub(h.From).Hours()
	long := fmt.Sprintf("%.0f hours", hours)
	if hours >= 72 {
		long = fmt.Sprintf("%.0f days", hours/24)
	}
	if h.Kind == "frost" {
		return fmt.Sprintf("below %d °C for %s, down to %.1f °C", wood.FrostC, long, h.WorstC)
	}
	return fmt.Sprintf("above %d °C for %s, up to %.1f °C", wood.WarmC, long, h.WorstC)
}

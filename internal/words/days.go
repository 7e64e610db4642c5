package words

import (
	"unionknot/internal/core/benchday"
	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
)

// Bound says what makes a span's last day its last.
func Bound(s technique.Span) string {
	switch s.By {
	case technique.WoodKeeps:
		return "its wood keeps no longer"
	case technique.SeasonShuts:
		return "its season shuts"
	case technique.SeasonOver:
		return "its season is over: " + Standing(s.Standing)
	case technique.OpensTooLate:
		return "its season opens " + season.Say(s.First) + ", when the wood keeps no longer"
	case technique.CutTooLate:
		return "its wood is cut " + season.Say(s.First) + ", when its season is shut"
	}
	return string(s.By)
}

// Lack says what keeps grafts off every half-day.
func Lack(l benchday.Lack) string {
	switch l {
	case benchday.NobodyKnows:
		return "nobody at the bench knows it"
	case benchday.NobodyThere:
		return "nobody who knows it is there on those days"
	case benchday.NoWholeRoom:
		return "no half-day has room for the whole tag"
	case benchday.NoRoom:
		return "every half-day is full"
	}
	return string(l)
}

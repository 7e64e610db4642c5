package nursery

import "unionknot/internal/store"

// FirstStep is a step of a house's first hour.
type FirstStep struct {
	Key  string // site, people, grown, stock, wood, order, match, bench, count
	Path string // where it is done
	Have int    // of it
	Next bool   // the first that nothing is there of
}

// FirstSteps are the steps of a house's first hour, in their order.
func FirstSteps(f store.FirstHour) []FirstStep {
	steps := []FirstStep{{"site", "/season/site", f.Site, false}, {"people", "/house#people", f.People, false},
		{"grown", "/begin#grown", f.Grown, false}, {"stock", "/stock", f.Lots, false}, {"wood", "/wood", f.Bundles, false},
		{"order", "/orders", f.Orders, false}, {"match", "/match", f.Batches, false}, {"bench", "/bench", f.Tags, false},
		{"count", "/heal", f.Counts, false}}
	for i := range steps {
		if steps[i].Have == 0 {
			steps[i].Next = true
			break
		}
	}
	return steps
}

package nursery

import "unionknot/internal/store"

// Rows that pages show and no rule reads, as the tables have them.
type (
	BatchRow    = store.Batch
	ChangeRow   = store.Change
	ColdReading = store.ColdReading
	Found       = store.Found
	Genus       = store.Genus
	HouseWay    = store.HouseWay
	LabelPrint  = store.LabelPrint
	LotLook     = store.LotLook
	OrderRow    = store.Order
	Pace        = store.Pace
	Person      = store.Person
	Plant       = store.Plant
	Reading     = store.Reading
	Session     = store.Session
	TagRow      = store.Tag
	Technique   = store.Technique
	Tool        = store.Tool
	WoodLabel   = store.WoodLabel
)

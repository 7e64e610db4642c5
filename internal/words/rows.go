package words

import (
	"fmt"
	"math"

	"unionknot/internal/core/pace"
	"unionknot/internal/core/rows"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/working"
)

// What is said of rows that cannot be noted so.
const (
	NameField  = "Name the field, in up to 60 letters, such as north field."
	RowNumber  = "A row has a number between 1 and 9999."
	RowBearing = "Degrees from north, clockwise: 0 north, 90 east, 180 south, 270 west."
	RowSpacing = "Between 1 and 500 cm from plant to plant."
	NoteLong   = "A note is up to 300 letters, a gap's reason up to 120."
	FirstPlant = "Plants are counted from 1 at the row's first; the last comes after the first."
	ChooseSoil = "Say whether the soil is dry, moist or sodden."
)

// RowPlace is the name of a row, as places have it.
func RowPlace(field string, number int) string { return fmt.Sprintf("%s, row %d", field, number) }

// RowTaken says that another row has a number.
func RowTaken(now, was string) string {
	return fmt.Sprintf("There is a %s already. Tick that the two change numbers, and that one becomes %s.", now, was)
}

// RowNotEmpty says that a row cannot go.
func RowNotEmpty(place string) string {
	return "Plants stand in " + place + ". Take their lots off its map, or lift them, first."
}

// PlantsTaken says that others stand there.
func PlantsTaken(first, last int, lot string) string {
	return fmt.Sprintf("Plants %d to %d are lot %s. Choose others, or leave it empty for the end of the row.", first, last, lot)
}

// NoPlantAt says that nothing stands at a plant's number.
func NoPlantAt(at int) string { return fmt.Sprintf("No lot stands at plant %d of this row.", at) }

// GapThere says that a gap was noted already.
func GapThere(at int) string { return fmt.Sprintf("A gap at plant %d is noted already.", at) }

// GapOutside says that a gap would lie outside its lot.
func GapOutside(at int) string {
	return fmt.Sprintf("A gap is noted at plant %d, which would be outside. Take it back first.", at)
}

// GapNote is what the ledger says of a stem that is not there.
func GapNote(at int, place string) string { return fmt.Sprintf("gap at plant %d of %s", at, place) }

// GapOnTag says on which tag the loss is to be noted.
func GapOnTag(at int, tag string) string {
	return fmt.Sprintf("The gap at plant %d is noted. Tag %s stands there: note the loss on it too.", at, tag)
}

var compass = []string{"north", "north-east", "east", "south-east", "south", "south-west", "west", "north-west"}

// Compass names a bearing.
func Compass(bearing int) string { return compass[((bearing%360+360)%360+22)/45%8] }

// RowSide says on which side a row is budded, for who walks it.
func RowSide(side rows.Side, bearing int, anySide, noWind, windward bool) string {
	switch {
	case anySide:
		return "any side, where the bark is straightest"
	case noWind:
		return "the windward side: note whence the wind blows here"
	}
	where := map[rows.Side]string{rows.Left: "on your left", rows.Right: "on your right", rows.Ahead: "the far side of each stem",
		rows.Behind: "the near side of each stem"}[side]
	if windward {
		return fmt.Sprintf("%s, to windward (%s)", where, Compass(bearing))
	}
	return fmt.Sprintf("%s, away from the midday sun (%s)", where, Compass(bearing))
}

// RowKind names a kind of work along rows.
func RowKind(k string) string {
	return map[string]string{"bud": "Budding", "tape off": "Tape off", "head back": "Heading back", "lift": "Lifting"}[k]
}

// RowWhy says why a row stands where it does among those to be done.
func RowWhy(r rows.Reason, closes string) string {
	switch r {
	case rows.NotOpen:
		return "its season is still to come"
	case rows.Over:
		return "its season is past"
	case rows.TooDry:
		return "soil too dry: water it, and look again in some days"
	case rows.TooWet:
		return "soil sodden: roots tear and the row is trodden to mud; wait"
	case rows.Closing:
		return "not done by its last day: begin here"
	case rows.Best:
		return "these are its best days"
	}
	if closes != "" {
		return "open until " + closes
	}
	return "open"
}

// CrewHour is what a crew does in an hour.
func CrewHour(hour float64) string { return fmt.Sprintf("%.0f stems an hour", hour) }

// RowPaceRule names the rule of what one does along a row.
const RowPaceRule = "pace along a row"

// CrewWorking shows how a crew's pace at a work along rows was come by: from the house's rate for
// one, and what was marked on walks as a multiple of it.
func CrewWorking(kind string, crew int, walked pace.Record, of sizing.Interval) working.Working {
	one, people := walked.Rate*of.Mean, float64(crew)
	w := working.Working{Title: Capital(RowKind(kind)), Answer: CrewHour(one * people), Rule: RowPaceRule,
		Range: fmt.Sprintf("%.0f–%.0f, 90 %%", walked.Rate*of.Low*people, walked.Rate*of.High*people),
		Says: "What somebody marks as done on a walk was done since their last mark of that day. Times over four times as long as the " +
			"house's rate has it, or under a quarter, are left out: they were not the work alone. The house's rate counts as 100 stems.",
		Inputs: []working.Input{{Name: "The house's rate for one", Value: CrewHour(walked.Rate), Source: working.HouseDefault}}}
	if walked.Tags > 0 {
		w.Inputs = append(w.Inputs, working.Input{Name: "Own marks", Value: fmt.Sprintf("%s in %.1f hours, %.0f an hour for one",
			Counted("", int(walked.Grafts), "stem", "stems"), walked.Hours, walked.Grafts/walked.Hours), Source: working.OwnRecords})
	}
	return w
}

// BuddingWorking shows how the pace of a crew that buds was come by: from the house's rate for one,
// what own tags say as a multiple of it, and who waits for whom.
func BuddingWorking(by string, budders, wrappers, buds int, alone, pairs pace.Record, of sizing.Interval, cutShare,
	hour float64) working.Working {
	w := working.Working{Title: Capital(RowKind("bud")) + ": " + by, Answer: CrewHour(hour), Rule: RowPaceRule,
		Range: fmt.Sprintf("%.0f–%.0f, 90 %%", hour*of.Low/of.Mean, hour*of.High/of.Mean),
		Says: "Own tags that were begun and finished in one go say how fast the house's people are; the house's rate counts as 100 buds " +
			"beside them. Who goes may be faster or slower than they are together.",
		Inputs: []working.Input{{Name: "The house's rate for one", Value: budsAnHour(alone.Rate), Source: working.HouseDefault}}}
	own := func(name string, r pace.Record) {
		if r.Tags > 0 {
			w.Inputs = append(w.Inputs, working.Input{Name: name, Value: fmt.Sprintf("%s on %s in %.1f hours, %s",
				Counted("", int(r.Grafts), "bud", "buds"), Counted("", r.Tags, "tag", "tags"), r.Hours, budsAnHour(r.Grafts/r.Hours)),
				Source: working.OwnRecords})
		}
	}
	own("Own tags of one alone", alone)
	crew := fmt.Sprintf("%d, each for themselves", budders)
	if wrappers > 0 {
		own("Own tags of two, against what two would do", pairs)
		crew = fmt.Sprintf("%d bud, %d behind them: the slower of %d ÷ %.1f and %d ÷ %.1f", budders, wrappers, budders, cutShare, wrappers,
			1-cutShare)
		w.Inputs = append(w.Inputs, working.Input{Name: "Of one's time, for the cut", Value: fmt.Sprintf("%.0f %%", cutShare*100),
			Source: working.HouseDefault})
	}
	w.Inputs = append(w.Inputs, working.Input{Name: "Crew", Value: crew, Source: working.Entered})
	if buds > 1 {
		w.Inputs = append(w.Inputs, working.Input{Name: "Buds a stem", Value: fmt.Sprint(buds), Source: working.Entered})
	}
	return w
}

func budsAnHour(n float64) string { return fmt.Sprintf("%.0f buds an hour", n) }

// CrewPace says what a crew does in a day, and what its people would do each for themselves.
func CrewPace(budders, wrappers int, hour, day, alone float64) string {
	says := fmt.Sprintf("about %s a day with its rests.", Thousands(int(math.Round(day))))
	switch {
	case wrappers == 0:
		return says
	case alone > hour*1.02:
		return fmt.Sprintf("%s The same %d people, each for themselves, would do %.0f an hour: somebody waits here.", says,
			budders+wrappers, alone)
	}
	return fmt.Sprintf("%s Nobody waits for another.", says)
}

// CrewCare is what a crew takes along and keeps to.
func CrewCare(people int) string {
	return fmt.Sprintf("%d kneelers, water for the row and to drink, shade and hats; ten minutes in the hour off the knees, tasks changed "+
		"every two hours, nobody alone in the field.",
		people)
}

// SoilWarns says what soil means for work that is due at a row.
func SoilWarns(soil string) string {
	switch rows.Soil(soil) {
	case rows.Dry:
		return "Soil dry: water the day before lifting; dry bark does not slip."
	case rows.Sodden:
		return "Soil sodden: lift nothing here until it drains."
	}
	return ""
}

// RowOnCard says where along its row a tag stands, and on which side it is budded.
func RowOnCard(place string, first, last int, backward bool, side string) string {
	way := fmt.Sprintf("plants %d to %d", first, last)
	if backward {
		way = fmt.Sprintf("plants %d to %d, walked from its far end", last, first)
	}
	return Capital(fmt.Sprintf("%s, %s; bud %s.", place, way, side))
}

// RowDrawn is a drawing's title.
func RowDrawn(place string, plants int) string { return fmt.Sprintf("%s, %d plants", place, plants) }

// Renumbered says that a row has another number.
func Renumbered(place string) string {
	return "The row is " + place + " now; its plants, tags and labels' codes went along."
}

// StandsInRow says that a lot stands in a row.
func StandsInRow(lot string) string { return "Lot " + lot + " stands in this row." }

// GapNoted says that a gap took a stem.
func GapNoted(at int) string {
	return fmt.Sprintf("The gap at plant %d is noted: its lot has a stem less.", at)
}

// BeginsAt says where a tag begins.
func BeginsAt(tag string, first int) string {
	if first == 0 {
		return "Tag " + tag + " begins where the one before it ends."
	}
	return fmt.Sprintf("Tag %s begins at plant %d.", tag, first)
}

package words

// Texts of days, by what they begin with. The English text is the key of its other tongues.
const (
	AHalfDayHas0                = "A half-day has 0 to 8 hours."
	ChooseTechniquesFromTheList = "Choose techniques from the list."
	GiveTheFirstDayAway         = "Give the first day away."
	TheLastDayAwayLies          = "The last day away lies before the first."
	ThatIsMoreThanA             = "That is more than a year. If they are leaving, note it under People."
	AwayTakenBack               = "away taken back"
	AStationHas1To              = "A station has 1 to 500 seats."
	TyingPays                   = "%d cutting and %d tying pays: as many grafts as all working alone, and %.0f cents cheaper each."
	TyingIsCheaper              = "%d cutting and %d tying is cheaper by %.0f cents a graft, but makes %.0f an hour fewer than all " +
		"working " +
		"alone."
	AllWorkingAloneIsBest = "All working alone is best: %.0f an hour, against %.0f with %d cutting and %d tying, who wait for each " +
		"other %.0f %% of the time. A team pays where a tier cannot cut yet."
	SharingTheWork = "Sharing the work, "
	WithAToCutAnd  = "With a to cut and b to tie a graft, c cutters and t tiers make the lesser of c ÷ a and t ÷ b an hour; " +
		"all working alone make n ÷ (a + b). Wages over grafts give the cost."
	ToCutToTie            = "To cut, to tie"
	NAndNSeconds          = "%.0f and %.0f seconds"
	XAnHourATier          = "%s an hour, a tier %.0f %% of it"
	ThereIsNothingToPlan  = "There is nothing to plan: no batch waits, and no tag is open. Make batches in Match."
	NobodyHasHoursAtThe   = "Nobody has hours at the bench. Set them under Workers and hours."
	ThereIsNoPlanTo       = "There is no plan to take back."
	PlanTakenBack         = "plan taken back"
	ChooseTagsAWorkerA    = "Choose tags, a worker, a day and a half of it."
	TheyDoNotWorkAt       = "They do not work at the bench any more."
	IsFinishedOrGoneLook  = " is finished, or gone. Look at the plan as it stands now."
	IsBegunSoItStays      = " is begun, so it stays with "
	WorkerDoesNotKnow     = "%s does not know %s. Note it under Workers and hours once it is learnt."
	ThatHalfDayIsOver     = "That half-day is over."
	ThePlanReachesNDays   = "The plan reaches %d days ahead."
	ItsWoodOrItsSeason    = "Its wood or its season is not there before %s."
	IsNotAtTheBench       = " is not at the bench then."
	WaysOutOfALate        = "ways out of a late plan"
	TheDaysArePlannedAnew = "The days are planned anew with the change, and what is late is counted again. Hours are paid at the " +
		"wage, half as much again over the week's; a lesson is four hours of two people, who then work slower; a " +
		"bud that sleeps till spring loses half a year's growth."
	LateAsItStands             = "Late as it stands"
	NGraftsNHoursAt            = "%d grafts, %.1f hours at the house's rates"
	LateWithIt                 = "Late with it"
	ATreeAndAYears             = "A tree, and a year's delay"
	WorthAndShare              = "%s, %s of it"
	EverybodyStaysAnHourLonger = "Everybody stays an hour longer in the afternoon"
	EverybodyStaysNHoursLonger = "Everybody stays %.0f hours longer in the afternoon"
	TakeOnOneMoreWorker        = "Take on one more worker who knows the techniques, until the last late tag"
	TeachXToX                  = "Teach %s to %s"
	LineThoseStocksOutAnd      = "Line those stocks out and bud them in summer"
)

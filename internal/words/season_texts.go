package words

// Texts of season, by what they begin with. The English text is the key of its other tongues.
const (
	ChooseWhatWasSeenFrom = "Choose what was seen from the list."
	ThatDayIsStillTo      = "That day is still to come: note it when it is seen."
	ThatIsMoreThanN       = "That is more than %d years ago."
	KeepThePlaceUnder60   = "Keep the place under 60 letters and the note under 400."
	TheSoilWasWetOr       = "The soil was wet or dry, or it was not looked at."
	WasTheSoilWetIn       = " Was the soil wet? In dry soil bark does not slip either: say wet or dry."
	LookAtTheDayAnd       = " Look at the day and the place again; if it is so, tick the box and note it."
	TypeADayOfThe         = "Type a day of the year, such as 5 March."
	YearsDifferBy0To      = "Years differ by 0 to 60 days."
	UsualDatesChanged     = "usual dates changed"
	TheYearDoesNotGo      = "The year does not go round so: rest begins, buds swell, bark slips, and its slipping ends, in this " +
		"order. Look at the dates again."
	TakesNoRest                = "takes no rest"
	AMonthsMeanLiesBetween     = "A month's mean lies between -40 and 45 °C."
	GiveTheDaySuchAs           = "Give the day, such as 2027-01-14."
	GiveTheDaysMeanTemperature = "Give the day's mean temperature."
	XIsStillToCome             = "%s is still to come."
	NCIsNoDays                 = "%g °C is no day's mean: it runs from -50 to 50."
	TheLowestLiesAboveThe      = "The lowest lies above the mean."
	OnThisDayNC                = "On this day %g °C is here already, and %g in the file."
	ThisYear                   = ", this year"
	ThisYearsDates             = "this year's dates"
	TheUsualDateIsWhere        = "The usual date is where the belief begins, with its spread. Warmth since the middle of rest moves the " +
		"signs of spring; what somebody saw bounds the date, and outweighs the rest."
	XGiveOrTakeN          = "%s, give or take %d days in two years of three"
	DayLater              = "1 day later"
	DayEarlier            = "1 day earlier"
	NDaysLater            = "%d days later"
	NDaysEarlier          = "%d days earlier"
	SetToTheHouseDefaults = "set to the house defaults"
)

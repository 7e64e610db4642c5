package words

// Texts of house, by what they begin with. The English text is the key of its other tongues.
const (
	ChooseOneOfTheWays     = "Choose one of the ways listed."
	ATagHolds1To           = "A tag holds 1 to 200 grafts."
	TheChanceLiesBetween51 = "The chance lies between 51 and 99 in a hundred."
	GiveAnAmountFrom0      = "Give an amount from 0 to a million."
	AYearsDelayCosts0      = "A year's delay costs 0 to 100 in a hundred of a tree."
	Between10And99In       = "Between 10 and 99 in a hundred make the grade."
	ThereIsNoLabelTo       = "There is no label to print."
	ThatIsNLabelsPrint     = "That is %d labels; print at most %d at a time."
)

package words

// Texts of heal, by what they begin with. The English text is the key of its other tongues.
const (
	LoadThePageAnewAnd          = "Load the page anew, and count again."
	ChooseFirstLookOrEnd        = "Choose first look or end of season."
	ACountIs0Or                 = "A count is 0 or more."
	CountAtLeastOneGraft        = "Count at least one graft."
	ThisTagIsStillAt            = "This tag is still at the bench. Finish it there first."
	ChooseRest                  = "Choose whether the others are dead or were not counted."
	TheCausesAddUpTo            = "The causes add up to %d, but %d are dead."
	TheCountToCorrectIs         = "The count to correct is not one of this tag and look. Load the page anew."
	SomebodyCountedThisTagWhile = "Somebody counted this tag while you did. Their count is shown now: correct it if yours is better."
	StandsToHeal                = "stands to heal"
)

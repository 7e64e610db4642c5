package words

// Texts of wood, by what they begin with. The English text is the key of its other tongues.
const (
	NoMotherPlantIsCalled  = "No mother plant is called %s. Load mother plants first."
	APhotoMayHaveN         = "A photo may have %d MB; make it smaller."
	APhotoOf               = "a photo of "
	APictureCannotBeRead   = "a picture cannot be read"
	PhotoTakenOut          = "photo taken out"
	GiveTheYearAsFour      = "Give the year as four figures, such as 2015, or leave it empty."
	WoodIsRestingRipeGreen = "Wood is resting, ripe green or half-ripe; %q is none of these."
	GiveTheDayItWasCut     = "Give the day it was cut, today or before, such as 2027-01-14."
	XLiesBetweenNAnd       = "%s lies between %g and %g mm; %g does not."
	CountTheSticksAWhole   = "Count the sticks: a whole number from 1 to 100,000."
	ASticksLength          = "A stick's length"
	ASticksBase            = "A stick's base"
	ASticksTip             = "A stick's tip"
	TheSpaceBetweenNodes   = "The space between nodes"
	TheTipNMmIs            = "The tip (%g mm) is thicker than the base (%g mm): are they swapped?"
	TheShareOfBlindBuds    = "The share of blind buds is 0 to 95 in a hundred."
	OfNSticksNCannot       = "Of %d sticks, %d cannot have been dropped."
	ChooseTheMarksFromThe  = "Choose the marks from the list."
	APieceHas1Bud          = "A piece has 1 bud (for budding) to 6."
	NoMotherPlantIsCalledX = "No mother plant is called %s. Add it first, or look at its label."
	SayHowManyPieces1      = "Say how many pieces: 1 or more."
	BundleXHasFewerThan    = "Bundle %s has fewer than %d pieces free."
)

package words

// Texts of bench, by what they begin with. The English text is the key of its other tongues.
const (
	ThisTagIsFinishedSo = "This tag is finished, so it stays with who made it."
	GraftsAreTiedOnThis = "Grafts are tied on this tag already, and a tag is one worker's work. Finish it; what is left over goes " +
		"back and can be batched anew."
	ThisBatchHasNoTags        = "This batch has no tags yet. Split it first, then print."
	NGraftsNXEach             = "%d grafts, %g %s each"
	NGraftsWaterBathNever     = "%d grafts; water bath, never left alone"
	AlcoholForWiping          = "Alcohol for wiping"
	AWipeEachTagAway          = "a wipe each tag; away from the wax heater"
	NATagNTags                = "%g a tag, %d tags"
	NGraftsGoStraightTo       = "%d grafts go straight to pots, union "
	LoadTheSheetAnewAnd       = "Load the sheet anew, and key it again."
	ThereIsNoTagX             = "There is no tag %s."
	XIsFinishedAlreadyCorrect = "%s is finished already. Correct it from its card."
	ACountIsNotBelow          = "A count is not below zero."
	NoTagHasSoMany            = "No tag has so many."
	XHoldsNGraftsAnd          = "%s holds %d grafts and has %d tied: %d more are too many."
	TapsWeighedAgain          = "taps weighed again"
	ChooseAtLeastOneWorker    = "Choose at least one worker; two or more for a lot of over 50."
	GiveTheBenchDaySuch       = "Give the bench day, such as 2027-02-24."
	ThisBatchWasTakenBack     = "This batch was taken back. Make it again from Match."
	GraftingHasBegunOnThis    = "Grafting has begun on this batch, so its tags stand. Hand a tag over from its card."
	OneOfThoseChosenDoes      = "One of those chosen does not work at the bench any more. Choose again."
	SplitIntoTags             = "split into tags"
)

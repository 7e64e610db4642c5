package words

// Texts of results, by what they begin with. The English text is the key of its other tongues.
const (
	FairTakesNeedNCounted   = "Fair takes need %d counted tags; there are %d here."
	NoneWasFoundBetweenX    = "none was found between %ss: these counts cannot tell them apart"
	NOnTheLogitScaleBetween = "%.2f on the logit scale between %ss"
	WhatMovedTheTake        = "what moved the take"
	ALogisticModelOfAll     = "A logistic model of all counted tags shown, with technique, mismatch and days in store as effects and " +
		"worker, lot and bundle as crossed random parts. It asks what all these tags would have taken had each " +
		"been this one's and otherwise as it was. Few grafts are pulled toward the middle. The range is from all " +
		"effects together: one that nobody else shared has a wide one."
	TookOfAllOfThem           = "Took, of all of them"
	NoDifferenceBetweenXS     = "No difference between %ss is found beyond luck: these counts cannot tell %ss apart."
	AnEffectOfItsOwn          = "an effect of its own beside "
	WoodThinnerThanTheStock   = "Wood thinner than the stock"
	Each10Thinner             = "each 10 % thinner"
	DaysFromCuttingToGrafting = "Days from cutting to grafting"
	Each10DaysMore            = "each 10 days more"
	CannotBeToldFromThese     = "cannot be told from these counts"
	EachXAlwaysWentWith       = "Each %s always went with the same %s: no count can say which of the two made the difference. Give each " +
		"%s to two workers or more next time."
	XAndXAlwaysWent = "%s and %s always went together, and with no other: no count can say which made the difference. Next time " +
		"give %s to another as well, and the other way round."
	OnlyXGraftedLotX = "Only %s grafted lot %s (%d grafts): its figure leans on what %s did elsewhere. Share such a lot between " +
		"two workers."
	TakeOfAllShown       = "Take of all shown"
	TakeOfAGroup         = "take of a group"
	TheLookThatStandsFor = "The look that stands for each tag, added up; doubtful grafts count as not taken. The range is the middle " +
		"90 % of a beta belief on a flat prior."
	NOfN                   = "%d of %d"
	AsGroupsOfItsSize      = "As groups of its size lie"
	LimitsOfAGroup         = "%s to %s in 95 of 100, %s to %s in 998 of 1,000, about the mean of %s"
	SpreadBetweenGroups    = "Spread between groups"
	NOnTheLogitScaleBeside = "%.2f on the logit scale, beside luck; of the flags on a page at most one in twenty is expected to be " +
		"false"
	MoreLostTo          = "More lost to "
	XOfItsGraftsX       = "%s of its grafts, %s of all others'"
	TheLatestLookAtEach = "The latest look at each tag, added up. A doubtful graft counts as not taken until a later look decides. " +
		"The range is the middle 90 % of a beta belief that starts from the whole house's take, worth two grafts, " +
		"and adds this group's counts."
	GraftsLookedAt = "Grafts looked at"
	ShareOfThem    = "%d, %s of them"
	XTheTakeOfAll  = "%s, the take of all %d grafts shown here, worth %d grafts"
)

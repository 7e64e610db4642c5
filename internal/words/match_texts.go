package words

// Texts of match, by what they begin with. The English text is the key of its other tongues.
const (
	LoadThePageAnewAndMake = "Load the page anew, and make the batch again."
	ThisOrderIsClosedOpen  = "This order is closed. Open it again on its page, then match it."
	ChooseATieAndA         = "Choose a tie and a way to heal from the lists."
	ThereIsNothingToMake   = "There is nothing to make: no stem and piece here go together, or the order has all its grafts."
	StockOrWoodWasSet      = "Stock or wood was set aside, measured or returned since you looked. Here is the weave as it stands now: " +
		"look, then make the batch."
	TheSeasonShutsXSay = "The season shuts %s. Say in a few words why it is used all the same: it stays on the tags."
	WhatWasToBeSet     = "What was to be set aside is no longer free. Look at the weave again."
	ALiveUnionBy       = "A live union by "
	RangeOfACost       = "%s to %s, by the take's range"
	WhatAGraftUsesOver = "What a graft uses, over the share that lives. Ties, labels and the days' overheads are not in it: they " +
		"differ little between techniques."
	APieceOfWood                 = "A piece of wood"
	XAnHourAtN                   = "%s an hour at %.0f grafts"
	ExpectedTakeOn               = "Expected take on "
	TreesToExpectFromThis        = "Trees to expect from this weave"
	TreesToExpect                = "trees to expect"
	EachThreadsExpectedTakeTimes = "Each thread's expected take times its grafts, added up; a lot or a bundle that was counted before " +
		"counts " +
		"by what it did. The range holds 90 years in 100: it reckons with the luck of each graft, with how well " +
		"each take is known, and with what lots, bundles and workers differ by, which moves all their grafts " +
		"together."
	NGraftsTakeOverMany    = "%d grafts; take over many lots %s (%s)"
	SpreadsOfSharers       = "%.2f, %.2f, %.2f on the logit scale; %d workers share it"
	AtMostNThreadsCan      = "At most %d threads can be held or kept apart at once."
	NotNotedAsSeenTrue     = "Not noted as seen true: "
	TheCheapestThereIs     = "the cheapest there is"
	AtMostNAboveThe        = "at most %.3f %% above the cheapest there can be"
	TheWeaveOfAllOpen      = "The weave of all open orders"
	NGraftsPairedNShort    = "%d grafts paired, %d short"
	EveryOpenOrderIsPaired = "Every open order is paired at once, so that orders that want the same stock or wood share it by what " +
		"each leaves lacking. A thread costs what is expected lost by it; a graft left out costs more, by " +
		"priority."
	NoWeaveCostsLessThan      = "No weave costs less than"
	HeldKeptApart             = "Held, kept apart"
	LoadThePageAnewAndMakeThe = "Load the page anew, and make the batches again."
	ChooseATieFromThe         = "Choose a tie from the list."
	ThereIsNothingToMakeNo    = "There is nothing to make: no stem and piece here go together."
	StockOrWoodWasSetAside    = "Stock or wood was set aside, measured or returned since you looked. Here is the weave as it stands now: " +
		"look, then make the batches."
	TheWoodIsWiderThan = "The wood is wider than the stock. Choose thinner wood or thicker stock."
	CambiumThatMeets   = "Cambium that meets"
	NMmOnEachFace      = "%.1f mm on each face, %s of the scion's line"
	WhereCambiumMeets  = "where cambium meets"
	XStrayingNMmN      = "%s, straying %.2f mm: %.1f mm on average; some meets with a chance of %s"
	TheTwoCutFacesAre  = "The two cut faces are laid together as curves in the plane of the cut. What is measured is the length of " +
		"the scion's cambium that lies within the tolerance of the stock's. It is a fit figure, not a take."
	StockAtTheCut             = "Stock at the cut"
	ScionAtTheCut             = "Scion at the cut"
	XOnTheStockX              = "%s on the stock, %s on the scion (0.3 + 0.07 × diameter)"
	CountsAsMeeting           = "Counts as meeting"
	SetOverByFlush            = "Set over by, flush"
	AHandStraysBy             = "A hand strays by"
	FlushOnOneSide            = "flush on one side"
	TiltedSoThatTheLines      = "tilted so that the lines cross"
	CentredThinnerWoodMeetsOn = "Centred, thinner wood meets on little or nothing: lay it flush on one side."
	MeetsOnMost               = "meets on most"
	MeetsOnAsMuchAs           = "meets on as much as any"
	ForThisHandLaidX          = "For this hand, laid %s %s: %.1f mm on average (flush %.1f, tilted by %.0f° %.1f, centred %.1f)."
	SurestToMeetAtAll         = " Surest to meet at all is %s: %s, against %s."
	APractisedHand            = "a practised hand"
	ASteadyHand               = "a steady hand"
	ANewHand                  = "a new hand"
	FromUnionsCutOpen         = " (%.2f–%.2f), from %d unions cut open"
	MeasureAtLeastNUnions     = "Measure at least %d unions, to the right as a plus and to the left as a minus, such as 0.3 -0.1 0.5."
	NMmIsNoStray              = "%g mm is no stray of a scion's placing. Look at it again."
)

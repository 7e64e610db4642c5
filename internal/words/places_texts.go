package words

// Texts of places, by what they begin with. The English text is the key of its other tongues.
const (
	NameThePlaceAsIt      = "Name the place as it stands on bundles and lots, such as cold store 1."
	TheSafeBandRunsFrom   = "The safe band runs from a lower to a higher temperature, such as 0 to 4 °C."
	ANewLoggerKey         = "a new logger key"
	SendAtMostNReadings   = "Send at most %d readings at a time."
	NCIsNoStores          = "%g °C is no store's temperature: it runs from -60 to 80."
	IsStillToComeSet      = " is still to come: set the logger's clock."
	IsTooLongAgoSet       = " is too long ago: set the logger's clock."
	AReadingOf            = "a reading of "
	ADoubtedReadingKept   = "a doubted reading kept"
	ADoubtedReadingStruck = "a doubted reading struck"
	SayWhatWasFound       = "Say what was found: "
	SayOfWhichBundleThe   = "Say of which bundle the pieces were thrown out."
	ALookAt               = "a look at "
	NoBundleIsCalled      = "No bundle is called "
	BundleXHasNPieces     = "Bundle %s has %d pieces free."
	GiveTheTemperature    = "Give the temperature."
	NoStoreIsCalledX      = "No store is called %q. Note it on the store's page first."
	GiveTheDayAndThe      = "Give the day and the hour, such as 2027-01-14 06:30."
	AtThisHourNC          = "At this hour %g °C is here already, and %g in the file."
)

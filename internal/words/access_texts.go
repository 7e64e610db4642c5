package words

// Texts of access, by what they begin with. The English text is the key of its other tongues.
const (
	GiveTheNurseryAName          = "Give the nursery a name."
	ThisHouseHasItsPropagator    = "This house has its propagator already. Sign in instead."
	ThatIsNotTheCode             = "That is not the code on the console. Look at the newest line there: each start makes a new code."
	OpenedTheHouse               = "opened the house"
	GiveANameOfUp                = "Give a name of up to 60 letters."
	GiveASignInName              = "Give a sign-in name without spaces, such as maud."
	AXSignsInAt                  = "A %s signs in at the desk: give a password."
	GiveAPINForThe               = "Give a PIN for the bench tablet, or a password."
	SomebodyHereHasThatName      = "Somebody here has that name or sign-in already."
	TheLastPropagatorCannotLeave = "The last propagator cannot leave: take another on first."
	TooManyWrongTriesShut        = "too many wrong tries: shut until "
)

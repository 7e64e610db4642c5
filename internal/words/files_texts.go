package words

// Texts of files, by what they begin with. The English text is the key of its other tongues.
const (
	ChooseAFileFirstThat = "Choose a file first; that one is empty."
	WhyItStays           = "why it stays"
)

package words

// Texts of nursery, by what they begin with. The English text is the key of its other tongues.
const (
	XStandsOnLineN         = "%s stands on line %d too."
	ACodeIsUpTo            = "A code is up to 24 letters, figures, dots and dashes, such as L-104."
	CodeIsTaken            = "%s %s is already there. Give this one another code."
	WhatThisDrawsOnChanged = "What this draws on changed each time while it was worked out. Look at it as it stands now, and try again " +
		"in a moment."
)

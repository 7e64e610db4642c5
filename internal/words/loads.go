package words

import "fmt"

// What is said of files that are loaded, mended and taken back.
const (
	FileStopped  = "It was stopped. Nothing of it was loaded."
	FileBrokeOff = "It broke off, as the server ended. Nothing of it was loaded: begin it again."
	FileFailed   = "It came to nothing through a fault of ours, which is noted in the server's log. Nothing of it was loaded: begin it " +
		"again."
	CodeHere      = "This code is here already, for something else. If the row is another one, give it another code."
	BackReason    = "Say why it is taken back, in up to 500 letters."
	BackNothing   = "Nothing of it can be taken back: all of it was used since."
	MendNothing   = "Nothing was changed in the rows, so nothing was mended."
	MendTooLong   = "A cell holds at most 2,000 letters."
	BusyLoad      = "This file is being worked on already. Look at how far it is."
	BackLoadFirst = "Only a file that was loaded can be taken back."
	Stopping      = "The server is stopping. Begin it again in a minute."
)

// AddedMeanwhile says that somebody added one of the rows of these lines meanwhile.
func AddedMeanwhile(from, to int) string {
	if from == to {
		return fmt.Sprintf("Line %d was added by somebody else meanwhile, so nothing was loaded. Look at the preview again.", from)
	}
	return fmt.Sprintf("One of lines %d to %d was added by somebody else meanwhile, so nothing was loaded. Look at the preview again.",
		from, to)
}

// OtherHere says that a row differs from what is here.
func OtherHere(here, file any) string {
	return fmt.Sprintf("It is %v here and %v in the file. Put right the one that is wrong.", here, file)
}

// stayed says why a row of a load that is taken back stays.
var stayed = map[string]string{
	"worked": "grafted or set aside", "measured": "measured since", "looked at": "looked at since",
	"moved": "moved, recounted or put right since",
	"wood":  "wood was cut of it", "photos": "it has pictures", "labels": "labels were printed for it",
	"batches": "batches were made of it", "deliveries": "trees were delivered to it",
	"changed": "changed since", "gone": "it is gone already",
}

// Stayed says why a row of a load that is taken back stays.
func Stayed(why string) string { return stayed[why] }

// RunDoing says what is being done with a file.
func RunDoing(doing string) string {
	switch doing {
	case "reading":
		return "Being gone through"
	case "loading":
		return "Being loaded"
	}
	return "Being taken back"
}

package words

import (
	"strings"
	"time"
)

// What is said at the door, and of people's secrets.
const (
	PasswordShort    = "A password has at least 10 signs. Three words do well."
	PasswordLong     = "A password has at most 200 signs."
	PasswordCommon   = "That password is among those tried first. Three words that do not belong together do well."
	PasswordName     = "A password made of a name is tried first. Three words do well."
	PINFigures       = "A PIN is four to eight figures."
	PINWeak          = "That PIN is among those tried first: choose one without a run, a repeat or a year."
	WrongPassword    = "That name and password do not belong together. Try again."
	WrongPIN         = "That is not your PIN. Try again."
	WrongOldPassword = "That is not your password as it is now."
	WrongOldPIN      = "That is not your PIN as it is now."
	GiveASecret      = "Give a new password, a new PIN, or both."
	ChooseRole       = "Choose propagator, bench hand or looker."
	LastPropagator   = "The last propagator stays one: make another first."
	CodeOver         = "That code is not one, was used, or is over. Ask the propagator for another."

	OwnSecretChanged = "changed their own password or PIN"
	ResetMade        = "a code for a new password was made"
	ResetUsed        = "set a new password or PIN with a code"
	SignedOutAll     = "signed out on every other device"
	OnTheConsole     = "made propagator on the console"
	DataTaken        = "took away what is held of them"
	Erased           = "name erased"
	WasRefused       = "was refused"
	EraseWhoLeft     = "They work here still: note first that they leave."
	IsErased         = "Their name is erased, and nothing brings it back. Take them on anew."
)

// TypeTheName asks for a name to be typed before it is erased.
func TypeTheName(name string) string {
	return "Type the name as it stands here, " + name + ", to erase it."
}

// HasLeft says that somebody has no access.
func HasLeft(name string) string { return name + " has left. Let them back first." }

// NeedsPassword says that somebody cannot have a role without a password.
func NeedsPassword(name string) string {
	return name + " has no password yet, which the desk asks for. Make a code for them, let them set one, then change the role."
}

// Wait says until when the door is shut for who tries from there.
func Wait(until, now time.Time) string {
	minutes := int(until.Sub(now).Minutes()) + 1
	return "Too many wrong tries from here. Wait " + count(minutes, "minute", "minutes") + ", or ask the propagator to unlock you."
}

func count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return Thousands(n) + " " + many
}

// What is said once it is done.
const (
	OwnSecretKept = "That is kept. On every other device you are signed out."
	SessionsEnded = "That is ended."
	TabletClosed  = "The tablet is closed: whoever was at it is signed out, and what waits on it stays there."
)

// CodeFor tells a code that was made.
func CodeFor(name, code string, until time.Time) string {
	return "For " + name + ", once, until " + until.Local().Format("2 January 15:04") + ": " + code
}

// Agent says what a browser calls itself, in short.
func Agent(text string) string {
	for _, x := range [][2]string{{"Android", "Android"}, {"iPad", "iPad"}, {"iPhone", "iPhone"}, {"Windows", "Windows"}, {"Mac OS", "Mac"},
		{"CrOS", "Chromebook"}, {"Linux", "Linux"}} {
		if strings.Contains(text, x[0]) {
			return x[1]
		}
	}
	return ""
}

// PersonKept says that what was done for somebody is done.
const PersonKept = "That is done."

// How the record of changes names what happens at the door.
const (
	TriedWrong       = "tried with a wrong password or PIN"
	ProvedThemselves = "gave the right password or PIN"
	OpenedTablet     = "opened a tablet for the bench"
	TookAway         = "took away as a file"
)

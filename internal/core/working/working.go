// Package working holds the reasons behind a computed figure, so that any
// screen can show how it was come by.
package working

// Kinds of source that a number can have.
const (
	HouseDefault = "house default" // shipped, and open to change
	HouseWay     = "house way"     // a choice this house made
	OwnRecords   = "own records"   // counted in this nursery
	Measured     = "measured"      // a caliper, a ruler, a count by eye
	Entered      = "entered"       // typed in by somebody here
)

// Input is one thing a figure was worked out from.
type Input struct {
	Name   string
	Value  string // with its unit
	Source string // one of the kinds above
	Ref    string // a code that leads to it, or ""
}

// Working says how a figure was come by. The zero Working says nothing and
// is shown as no working at all.
type Working struct {
	Title  string // what the figure is
	Answer string // the figure, with its unit
	Range  string // its range in words, or "" where there is none
	Rule   string // the rule's name in docs/rules.md
	Says   string // the rule in one sentence
	Inputs []Input
}

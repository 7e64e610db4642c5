// Package learners keeps classes of people who learn to graft: who is at which place, whose graft
// waits to be looked at before it is bound, what the looks say, and who is cleared.
package learners

import (
	"unionknot/internal/core/learning"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
)

// Stage carries out what people do here. Make one with New.
type Stage struct {
	*nursery.Kernel
}

// New makes the stage.
func New(k *nursery.Kernel) *Stage { return &Stage{k} }

// Rows as they are kept, for whoever shows them.
type (
	Class   = store.Class
	Tool    = store.ClassTool
	Verdict = store.Verdict
)

// Bounds of a class.
const (
	mostLearners = 60
	mostCans     = 200
)

// Stages of a class's day.
const (
	Opening  = "opening"  // cautions, tools out
	WarmUp   = "warm-up"  // practice wood
	Grafting = "grafting" // what counts
	Closed   = "closed"
	Off      = "off" // called off before it was opened
)

// StateOf is how far a class's day is.
func StateOf(c store.Class) string {
	switch {
	case c.OffAt != nil:
		return Off
	case c.ClosedAt != nil:
		return Closed
	case c.BegunAt != nil:
		return Grafting
	case c.OpenedAt != nil:
		return WarmUp
	}
	return Opening
}

// Bar is what clears a learner of a class.
func Bar(c store.Class) learning.Bar {
	return learning.Bar{Share: float64(c.BarPct) / 100, Run: c.BarRun}
}

// CourseOf is what a learner's looks come to, of practice wood or of what counts.
func CourseOf(l store.Learner, warm bool) learning.Course {
	var says []learning.Says
	for _, v := range l.Looks {
		if v.Held == nil && v.Warm == warm && learning.Says(v.Says).Known() {
			says = append(says, learning.Says(v.Says))
		}
	}
	return learning.Of(says)
}

// mustPass says whether a learner's grafts have to be passed before they are bound.
func mustPass(c store.Class, l store.Learner) bool {
	return c.CheckTape == "every" || c.CheckTape == "cleared" && l.ClearedAt == nil
}

// passedOn is how many grafts of each tag may be bound, in the order of the tags: those that were
// passed on it, or below zero where none has to be.
func passedOn(c store.Class, l store.Learner) (ids []int64, passed []int) {
	for _, t := range l.Tags {
		n := -1
		if mustPass(c, l) {
			n = 0
			for _, v := range l.Looks {
				if v.TagID != nil && *v.TagID == t.ID && v.Held == nil && (v.Says == string(learning.Right) || v.Says == bound) {
					n++
				}
			}
		}
		ids, passed = append(ids, t.ID), append(passed, n)
	}
	return ids, passed
}

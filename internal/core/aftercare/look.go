package aftercare

// Looks are the counts made of a tag, in the order of the year.
var Looks = []string{"first look", "take look", "bud look", "end of season"}

// lookSteps are the steps that they do, in the same order.
var lookSteps = []Name{FirstLook, TakeLook, BudLook, SecondLook}

// LookOf is the look that a step is counted by; "" where it is no look.
func LookOf(step Name) string {
	for i, s := range lookSteps {
		if s == step {
			return Looks[i]
		}
	}
	return ""
}

// StepOf is the step that a look does; false where there is no such look.
func StepOf(look string) (Name, bool) {
	for i, l := range Looks {
		if l == look {
			return lookSteps[i], true
		}
	}
	return 0, false
}

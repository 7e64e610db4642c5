package benchday

// SolveLong searches far longer than Solve does.
func SolveLong(p Problem, effort int) (Plan, error) { return solve(p, effort) }

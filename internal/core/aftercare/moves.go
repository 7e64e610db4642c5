package aftercare

// Step names a knot of a plan.
type Step struct {
	Name Name
	N    int
}

// Mover is what moved a knot from the day on which it usually falls.
type Mover uint8

// What moves knots.
const (
	ByPlace  Mover = iota // warmer or colder than the healing way's own temperature
	BySeason              // this year's dates against the usual ones
	BySteps               // steps done, or growth seen, on other days than their best
)

// Move is by how many days a knot's best day was moved; below zero it comes sooner.
type Move struct {
	By   Mover
	Days int
}

// Moves gives what moved each knot, given the usual dates of the site: first the
// place, then the season, then what was done. What moved it by nothing is left out.
func (m *Made) Moves(usual Calendar) map[Step][]Move {
	base := *m
	base.Box, base.Calendar, base.Done = nil, usual, nil
	was := base.days()
	out := map[Step][]Move{}
	note := func(by Mover) {
		now := base.days()
		for k, d := range now {
			if before, ok := was[k]; ok && d != before {
				out[k] = append(out[k], Move{by, int(d - before)})
			}
		}
		was = now
	}
	base.Box = m.Box
	note(ByPlace)
	base.Calendar = m.Calendar
	note(BySeason)
	base.Done = m.Done
	note(BySteps)
	for k := range out {
		if _, open := was[k]; !open {
			delete(out, k) // done
		}
	}
	return out
}

// days gives the best day of every knot.
func (m *Made) days() map[Step]Day {
	out := map[Step]Day{}
	for _, k := range m.Plan().Knots {
		out[Step{k.Name, k.N}] = k.Best
	}
	return out
}

// Together is a day inside all of some windows, the closest to their best days; false
// where there is none.
func Together(ws []Window) (Day, bool) {
	if len(ws) == 0 {
		return 0, false
	}
	from, by, sum := ws[0].From, ws[0].By, 0
	for _, w := range ws {
		from, by, sum = max(from, w.From), min(by, w.By), sum+int(w.Best)
	}
	if from > by {
		return 0, false
	}
	return min(max(Day(sum/len(ws)), from), by), true
}

// Late is what a step that is late costs: a share of trees for each week since its
// last day, loses, 0 where it is not late.
func (k Knot) Late(today Day, loses float64) float64 {
	if today <= k.By {
		return 0
	}
	return min(1, loses*float64(today-k.By)/7)
}

// CauseOf is the cause of loss that a step done late is known for; "" for none.
func CauseOf(k Name) string {
	switch k {
	case Untie, LoosenTie:
		return girdled
	case Suckers:
		return suckered
	case TieShoot:
		return knocked
	case Guard:
		return animals
	case Pot:
		return driedOut
	}
	return ""
}

// lateWeight is how many tree-weeks late the default loss counts for beside own
// records. House default.
const lateWeight = 200

// Learned is what being late with a step costs a week, by own records: lost of so many
// tree-weeks late.
func Learned(k Name, weeks float64, lost int) float64 {
	return (Loses(k)*lateWeight + float64(lost)) / (lateWeight + weeks)
}

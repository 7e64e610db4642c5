package words

import "fmt"

// TrainerHands and TrainerOrders are the names of a made-up season.
var (
	TrainerHands  = []string{"Ilva", "Tor", "Wren"}
	TrainerOrders = []string{"Lanternjaw", "Grey Ferryman", "Copperpot", "Slow Hare"}
)

// TrainerLot names a lot of a made-up season.
func TrainerLot(i int) string { return fmt.Sprintf("lot %c", 'A'+i) }

// TrainerEvent says what happened in a week.
func TrainerEvent(kind, hand, order string, n, of int) string {
	switch kind {
	case "away":
		return hand + " was away: nothing of theirs was made."
	case "out":
		return fmt.Sprintf("The lot ran out: %s made %d of %d.", hand, n, of)
	case "shut":
		return "The buds have swollen: the wood is over, and so is the grafting."
	}
	return fmt.Sprintf("First look at %s's %s: %d of %d took.", hand, order, n, of)
}

// TrainerEnd says how a made-up season ended, beside the coach's own.
func TrainerEnd(met, of, coach int) string {
	says := fmt.Sprintf("You met %d of %d orders.", met, of)
	switch {
	case met > coach:
		return says + fmt.Sprintf(" Left to the coach it would have been %d: well played.", coach)
	case met == coach:
		return says + " So would the coach have."
	}
	return says + fmt.Sprintf(" The coach would have met %d.", coach)
}

// TrainerMove says what the coach would do with a hand.
func TrainerMove(hand, order, lot string) string {
	if order == "" {
		return hand + " rests"
	}
	return hand + ": " + order + ", " + lot
}

// TrainerBroken says that an address holds no season.
const TrainerBroken = "That address holds no season that could be played: here it begins anew."

// TrainerTruth says how something differed from the middle, in takes of a hundred.
func TrainerTruth(name string, effect float64) string {
	// At the usual take of four in five a unit on the logit scale is about sixteen trees.
	n := 16 * effect
	switch {
	case n >= 0.5:
		return fmt.Sprintf("%s: some %.0f more in 100 than the middle", name, n)
	case n <= -0.5:
		return fmt.Sprintf("%s: some %.0f fewer in 100 than the middle", name, -n)
	}
	return name + ": in the middle"
}

// TrainerCoach says what the coach makes of a season.
func TrainerCoach(plain, with float64, of int) string {
	says := fmt.Sprintf("As things stand %.1f of %d orders would be met.", plain, of)
	if with > plain+0.01 {
		return says + fmt.Sprintf(" With this week so, %.1f:", with)
	}
	return says + " I would go on so:"
}

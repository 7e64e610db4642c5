package nursery

import "time"

// BackWithin is how long what was done by one tap can be taken back by one. The page offers
// it for a minute; a little more is for the way.
const BackWithin = 2 * time.Minute

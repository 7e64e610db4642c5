package aftercare

import "unionknot/internal/core/ways"

// Techniques with rules of their own.
const (
	TBud       = "t-bud"
	ChipBud    = "chip-bud"
	BarkFlap   = "bark-flap"
	SideVeneer = "side-veneer"
)

// ripeGreen is the state of a summer bud's wood.
const ripeGreen = "ripe green"

// awakeFor is how many frost-free days a bud needs to grow in the season in which it
// is set.
const awakeFor = 120

// Made is a group of grafts made alike, as what follows asks of them.
type Made struct {
	Technique string // its key
	Wood      string // resting, half-ripe, ripe green
	Healing   string // cold callus, cool room, warm union, pot at once, in the row
	Tie       string // film, pvc, vinyl, rubber, fusing, raffia
	Film      bool   // film covers the bud: its petiole is not seen
	Cover     bool   // a bag or sleeve against sun and wind
	Limb      bool   // on a limb of a standing tree
	Buds      int    // left on a scion, or set on a stock
	Finished  Day
	Group     string   // the season group: nut and climber callus warm
	Calendar  Calendar // of the stock's group; shared, not changed
	Box       *Box     // the clock of where it heals; nil: the healing way's own temperature
	Ways      Ways     // the house's ways that dates hang on
	Weeks     int      // until the tie girdles, by the house; 0: as its kind does, below 0: it does not
	Numbers   Numbers  // the house's own, over the defaults; shared, not changed
	Done      []Done   // in the order in which they were done
}

// Ways are the house's ways that dates hang on.
type Ways struct {
	TiesLate bool        // all ties of sleeping buds come off in late winter
	HeadAt   ways.HeadAt // how stocks of sleeping buds are headed back; "" is late winter
	OneShoot bool        // the best shoot is kept at once
}

// WaysOf reads them from a house's answers.
func WaysOf(h ways.House) Ways { return Ways{h.TiesLate(), h.HeadAt(), h.OneShoot()} }

// Done is a step done, or something seen: growth, callused.
type Done struct {
	Knot Name
	N    int
	On   Day
}

// Boxed says that it heals in a box or a room before it is potted.
func (m *Made) Boxed() bool {
	return m.Healing == ColdCallus || m.Healing == CoolRoom || m.Healing == WarmUnion
}

func (m *Made) row() bool { return m.Healing == InTheRow }

func (m *Made) bud() bool { return m.Technique == TBud || m.Technique == ChipBud }

// on is when a step was done, the last time it was.
func (m *Made) on(k Name, n int) (Day, bool) {
	for i := len(m.Done) - 1; i >= 0; i-- {
		if d := m.Done[i]; d.Knot == k && d.N == n {
			return d.On, true
		}
	}
	return 0, false
}

// made is the day of a step: done, else its best.
func (m *Made) made(k Name, n int, w Window) Day {
	if d, ok := m.on(k, n); ok {
		return d
	}
	return w.Best
}

// Callus is when it is callused. In the row it is by days alone.
func (m *Made) Callus() Window {
	if d, ok := m.on(CallusedSeen, 0); ok {
		return Window{d, d, d}
	}
	if m.row() {
		return m.rule("callus-in-the-row", m.Finished)
	}
	return m.box().Callus(m.Finished)
}

func (m *Made) box() *Box {
	if m.Box != nil {
		return m.Box
	}
	return NewBox(m.Healing, m.Group, nil)
}

// Sleeps says that its bud sleeps till spring: one in the row, of wood ripe this
// season, with too few days to frost to grow in it. Where an anchor is not known it
// grows.
func (m *Made) Sleeps() bool {
	if !m.row() || !m.bud() || m.Wood != ripeGreen {
		return false
	}
	c, f := m.Calendar, m.Finished
	ripe, isRipe := c.last(Ripe, f)
	swelled, began := c.last(Swell, f)
	frost, freezes := c.from(Frost, f)
	_, wakes := c.after(Swell, f)
	return isRipe && began && freezes && wakes && ripe >= swelled && frost-f < awakeFor
}

// FirstLook is when it is first looked at: by its callus where it heals in a box,
// else by what it is.
func (m *Made) FirstLook() Window { return m.firstLook(m.Callus()) }

func (m *Made) firstLook(callused Window) Window {
	switch {
	case m.Boxed():
		return callused
	case m.Technique == TBud && m.Film: // by the bud's colour
		return m.rule("first-look-t-bud-under-film", m.Finished)
	case m.Technique == TBud:
		return m.rule("first-look-t-bud", m.Finished)
	case m.Technique == ChipBud:
		return m.rule("first-look-chip", m.Finished)
	case m.Technique == BarkFlap:
		return m.rule("first-look-bark-flap", m.Finished)
	}
	return m.rule("first-look", m.Finished)
}

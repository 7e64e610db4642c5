package aftercare

import (
	"cmp"
	"slices"

	"unionknot/internal/core/ways"
)

// Name is a step's, as growers call it. Names compare as their words do.
type Name uint8

// The steps, from the bench to the sale.
const (
	BindLow Name = iota + 1
	BudLook
	Cane
	ChooseShoot
	CleanUp
	CoverOff
	CutBack
	FirstLook
	FitToSell
	Guard
	HeadBack
	KeepBest
	Lift
	LoosenShoot
	LoosenTie
	LowTieOff
	OpenCover
	Pinch
	Pot
	SecondLook
	SnagOff
	Suckers
	TakeLook
	TieShoot
	Untie
	steps = iota
)

// What was seen rather than done.
const (
	GrowthSeen Name = steps + 1 + iota
	CallusedSeen
)

var nameOf = map[Name]string{
	BindLow:     "bind low",
	BudLook:     "bud look",
	Cane:        "cane",
	ChooseShoot: "choose shoot",
	CleanUp:     "clean up",
	CoverOff:    "cover off",
	CutBack:     "cut back",
	FirstLook:   "first look",
	FitToSell:   "fit to sell",
	Guard:       "guard",
	HeadBack:    "head back",
	KeepBest:    "keep best",
	Lift:        "lift",
	LoosenShoot: "loosen shoot",
	LoosenTie:   "loosen tie",
	LowTieOff:   "low tie off",
	OpenCover:   "open cover",
	Pinch:       "pinch",
	Pot:         "pot",
	SecondLook:  "second look",
	SnagOff:     "snag off",
	Suckers:     "suckers",
	TakeLook:    "take look",
	TieShoot:    "tie shoot",
	Untie:       "untie",
	GrowthSeen:  "growth", CallusedSeen: "callused",
}

var named = func() map[string]Name {
	out := map[string]Name{}
	for k, s := range nameOf {
		out[s] = k
	}
	return out
}()

// String is the step's name.
func (k Name) String() string { return nameOf[k] }

// Seen says that it is something seen, not a step.
func (k Name) Seen() bool { return k > steps }

// NameOf reads a step's name, or that of something seen.
func NameOf(s string) (Name, bool) {
	k, ok := named[s]
	return k, ok
}

// Names are all steps, by their words.
var Names = func() []Name {
	out := make([]Name, steps)
	for i := range out {
		out[i] = Name(i + 1)
	}
	return out
}()

// Knot is a step still to come, or past and not done.
type Knot struct {
	Name Name
	N    int // of steps that come by number, from 1; else 0
	Window
	Hangs Hangs // what it hangs on
}

// Hangs is what a step's days hang on.
type Hangs uint8

// What steps hang on.
const (
	OnFinish Hangs = iota // the day it was finished
	OnCallus
	OnLook   // the first look
	OnGrowth // the day the scion starts
	OnPot
	OnSwell
	OnRest
	OnFrost
	OnSeason // the end of the growing season
	OnStep   // the step before it
)

// Loses is the share of trees a week that a missed last day of a step costs. House
// default, outweighed by own records. Looks cost none, but the cause is lost.
func Loses(k Name) float64 {
	switch k {
	case HeadBack:
		return 0.05 // the bud is overtaken
	case Untie, LoosenTie:
		return 0.03 // girdled
	case Suckers, Guard, Pot, CutBack:
		return 0.02
	case TieShoot:
		return 0.01 // broken
	}
	return 0
}

// girdles is in how many weeks a tie girdles; 0 for one that gives.
func girdles(tie string) int {
	switch tie {
	case "pvc":
		return 6
	case "vinyl":
		return 8
	case "rubber", "raffia":
		return 5
	case "fusing":
		return 10
	}
	return 0
}

// weeks is in how many weeks the tie girdles; 0 for one that gives.
func (m *Made) weeks() int {
	switch {
	case m.Weeks > 0:
		return m.Weeks
	case m.Weeks < 0:
		return 0
	}
	return girdles(m.Tie)
}

// Bounds of rounds.
const (
	mostLoosened  = 18
	loosenEvery   = 30
	loosenAtMost  = 400 // days, where the ends of seasons are not known
	mostSuckers   = 20
	suckersEvery  = 12
	suckersAtMost = 120 // days, where the end of the season is not known
)

// Plan is all that follows a group of grafts.
type Plan struct {
	Sleeps   bool
	Callused Window
	Growth   Day // the scion starts
	Knots    []Knot
}

// plan is a plan in the making, with the days that others hang on.
type plan struct {
	*Made
	out      Plan
	sleeps   bool
	c        Calendar
	look     Window
	looked   Day // L, the first look's day
	potted   Day // P
	underway bool
	swell    Day // the next bud swell from the finish
	swells   bool
	wakes    Day // the next bud swell after the finish, of a sleeping bud
	head2    Day // Y, the first day of heading back above a growing bud
	heads    Day // X, from which a growing bud's stock is bent
	headed   Day // of a sleeping bud's stock
	isHeaded bool
	headIn   Window // the window of that
	hasHead  bool
	ends     Day // SE
	isEnd    bool
	rest     Day // RB
	isRest   bool
}

// Plan dates what follows. It takes a time of the order of the number of knots and
// the logarithm of the readings.
func (m *Made) Plan() Plan {
	p := &plan{Made: m, c: m.Calendar}
	p.sleeps = m.Sleeps()
	p.out.Sleeps = p.sleeps
	p.out.Callused = m.Callus()
	p.look = m.firstLook(p.out.Callused)
	p.looked = m.made(FirstLook, 0, p.look)
	p.out.Knots = make([]Knot, 0, 32)
	p.seasons()
	p.ties()
	p.top()
	p.shoots()
	p.rounds()
	p.ending()
	slices.SortFunc(p.out.Knots, func(a, b Knot) int { return cmp.Or(int(a.Best-b.Best), int(a.Name)-int(b.Name), a.N-b.N) })
	return p.out
}

// add adds a step, unless it is done.
func (p *plan) add(k Name, n int, on Hangs, w Window) {
	if _, done := p.on(k, n); !done {
		p.out.Knots = append(p.out.Knots, Knot{k, n, w, on})
	}
}

// sleepsWithSnag says that a snag is left above a sleeping bud.
func (p *plan) sleepsWithSnag() bool { return p.sleeps && p.Ways.HeadAt == ways.HeadSnag }

// seasons works out the days that the others hang on.
func (p *plan) seasons() {
	f := p.Finished
	p.potted = f
	if p.Boxed() {
		p.potted = p.out.Callused.Best + 3
	}
	if d, ok := p.on(Pot, 0); ok {
		p.potted = d
	}
	p.swell, p.swells = p.c.from(Swell, f)
	end, ends := p.c.from(SlipEnds, f)
	p.underway = !p.swells || ends && end < p.swell
	p.growth()
	p.ends, p.isEnd = p.c.from(SlipEnds, p.out.Growth)
	if p.isEnd {
		p.rest, p.isRest = p.c.from(RestBegin, p.ends)
	}
}

// growth works out when the scion starts, and with a growing bud when its stock is
// headed back.
func (p *plan) growth() {
	seen, isSeen := p.on(GrowthSeen, 0)
	set := func(d Day) {
		p.out.Growth = d
		if isSeen {
			p.out.Growth = seen
		}
	}
	switch {
	case p.sleeps:
		p.wakes, _ = p.c.after(Swell, p.Finished)
		set(p.wakes + 10)
	case p.bud():
		p.heads = p.Finished
		if !p.row() {
			p.heads = p.potted + 7
			if !p.underway {
				p.heads = max(p.heads, p.swell)
			}
		}
		p.head2 = max(p.looked, p.heads+14)
		set(p.made(HeadBack, 2, p.rule("head-back-2", p.head2)) + 10)
	case p.row():
		set(p.Finished + 30)
	case p.underway:
		set(max(p.out.Callused.Best+14, p.potted+10))
	default:
		set(max(p.out.Callused.Best+14, p.potted, p.swell))
	}
}

// ties are the looks at the union, its potting, its cover and its ties.
func (p *plan) ties() {
	f, l, g := p.Finished, p.looked, p.out.Growth
	hangs := OnFinish
	if p.Boxed() {
		hangs = OnCallus
	}
	p.add(FirstLook, 0, hangs, p.look)
	if p.Boxed() && !p.bud() {
		p.add(TakeLook, 0, OnGrowth, p.rule("take-look", g))
	}
	if p.Boxed() {
		p.add(Pot, 0, OnCallus, p.rule("pot", p.out.Callused.Best))
	}
	if p.Cover {
		p.add(OpenCover, 0, OnFinish, p.rule("open-cover", f))
		if d, ok := p.on(GrowthSeen, 0); ok {
			p.add(CoverOff, 0, OnGrowth, p.rule("cover-off-growth-seen", d))
		} else {
			p.add(CoverOff, 0, OnGrowth, p.rule("cover-off", max(f+35, g)))
		}
	}
	loosen := p.rule("loosen-tie", max(f+42, g+28))
	if p.Tie == "pvc" && !p.bud() && p.Technique != BarkFlap {
		p.add(LoosenTie, 0, OnGrowth, loosen)
	}
	if w := p.weeks(); w > 0 {
		p.untie(w, loosen)
	}
	if p.Technique == BarkFlap {
		low := p.rule("bind-low", l)
		p.add(BindLow, 0, OnLook, low)
		p.add(LowTieOff, 0, OnStep, p.rule("low-tie-off", p.made(BindLow, 0, low)))
	}
}

func (p *plan) untie(weeks int, loosen Window) {
	f, l := p.Finished, p.looked
	switch {
	case p.sleeps && p.Ways.TiesLate:
		p.add(Untie, 0, OnSwell, p.rule("untie-late-winter", p.wakes))
	case p.sleeps && p.Technique == TBud:
		p.add(Untie, 0, OnFinish, p.rule("untie-sleeping-t-bud", f))
	case p.sleeps:
		p.add(Untie, 0, OnFinish, p.rule("untie-sleeping-chip", f))
	case p.Technique == TBud:
		p.add(Untie, 0, OnFinish, p.rule("untie-growing-t-bud", f))
	case p.Technique == ChipBud:
		p.add(Untie, 0, OnLook, p.rule("untie-growing-chip", l))
	case p.Technique == BarkFlap:
		p.add(Untie, 0, OnLook, p.rule("untie-bark-flap", l))
	case p.Tie == "pvc":
		p.add(Untie, 0, OnStep, p.rule("untie-loosened", p.made(LoosenTie, 0, loosen)))
	default:
		p.add(Untie, 0, OnGrowth, p.rule("untie", max(f+Day(7*weeks), p.out.Growth+28)))
	}
}

// top is what is done to the stock's top.
func (p *plan) top() {
	switch {
	case p.sleeps:
		p.add(BudLook, 0, OnSwell, p.rule("bud-look", p.wakes))
		p.headIn, p.hasHead = p.rule("head-back-late-winter", p.wakes), true
		hangs := OnSwell
		if p.Ways.HeadAt == ways.HeadSeasonEnd {
			var rest Day
			rest, p.hasHead = p.c.after(RestBegin, p.Finished)
			p.headIn, hangs = p.rule("head-back-seasons-end", rest), OnRest
		}
		if p.hasHead {
			p.add(HeadBack, 0, hangs, p.headIn)
		}
		p.headed, p.isHeaded = p.on(HeadBack, 0)
		if !p.isHeaded && p.hasHead {
			p.headed, p.isHeaded = p.headIn.Best, true
		}
		if p.Ways.HeadAt == ways.HeadSnag && p.isHeaded {
			end, ok := p.c.from(SlipEnds, p.headed)
			rest, rests := p.c.from(RestBegin, p.headed)
			if ok && rests {
				p.add(SnagOff, 0, OnRest, Window{end, rest - 14, rest + 14})
			}
		}
	case p.bud():
		p.add(HeadBack, 1, OnFinish, p.rule("head-back-1", p.heads))
		p.add(HeadBack, 2, OnLook, p.rule("head-back-2", p.head2))
	case p.Technique == BarkFlap:
		for k := 1; k <= 3; k++ {
			p.add(CutBack, k, OnLook, p.rule("cut-back-bark-flap", p.c.outOfRest(p.looked+Day(30*(k-1)))))
		}
	case p.Technique == SideVeneer:
		for k := 1; k <= 2; k++ {
			p.add(CutBack, k, OnGrowth, p.rule("cut-back-side-veneer", p.out.Growth+14+Day(30*(k-1))))
		}
	}
}

// shoots is what is done to the scion's shoots.
func (p *plan) shoots() {
	g := p.out.Growth
	switch {
	case p.sleepsWithSnag():
	case p.Limb: // a limb is its own stake
	case p.row():
		p.add(Cane, 0, OnGrowth, p.rule("cane-row", g))
	default:
		p.add(Cane, 0, OnPot, p.rule("cane-bench", p.potted))
	}
	p.add(TieShoot, 0, OnGrowth, p.rule("tie-shoot", g))
	if d, ok := p.on(TieShoot, 0); ok && !p.Limb {
		end := d + loosenAtMost
		if first, ok := p.c.from(SlipEnds, g); ok {
			if second, ok := p.c.after(SlipEnds, first); ok {
				end = second
			}
		}
		for k := 1; k <= mostLoosened && d+Day(loosenEvery*k) < end; k++ {
			if best := d + Day(loosenEvery*k); !p.c.rests(best) {
				p.add(LoosenShoot, k, OnStep, p.rule("loosen-shoot", best))
			}
		}
	}
	if p.Buds >= 3 && !p.Ways.OneShoot {
		p.add(Pinch, 0, OnGrowth, p.rule("pinch", g))
	}
	switch {
	case p.Buds < 2:
	case p.sleeps:
		if p.hasHead {
			p.add(ChooseShoot, 0, OnSwell, p.headIn)
		}
	case p.Ways.OneShoot:
		p.add(ChooseShoot, 0, OnGrowth, p.rule("choose-shoot-at-once", g))
	default:
		p.add(ChooseShoot, 0, OnGrowth, p.rule("choose-shoot", g))
	}
}

// rounds are the rounds in which suckers are rubbed off.
func (p *plan) rounds() {
	var best Day
	hangs := OnLook
	switch {
	case p.sleeps:
		if !p.isHeaded {
			return
		}
		best, hangs = max(p.headed+14, p.wakes), OnSwell
	case p.bud(), p.row():
		best = p.looked
	case p.underway:
		best, hangs = p.potted, OnPot
	default:
		best, hangs = max(p.potted, p.swell), OnSwell
	}
	best = p.c.outOfRest(best)
	end, ok := p.c.from(SlipEnds, best)
	if !ok {
		end = best + suckersAtMost
	}
	for k := 1; k <= mostSuckers && best < end; k++ {
		p.add(Suckers, k, hangs, p.rule("suckers", best))
		best, hangs = p.c.outOfRest(p.made(Suckers, k, Window{Best: best})+suckersEvery), OnStep
	}
}

// ending is the season's end, guards, lifting, and when it is fit to sell.
func (p *plan) ending() {
	f := p.Finished
	second, hangs := p.rule("second-look-seasons-end-not-known", f), OnFinish
	if p.isEnd && p.isRest {
		second, hangs = Window{p.ends - 7, min(p.ends+7, p.rest), p.rest}, OnSeason
	}
	p.add(SecondLook, 0, hangs, second)
	if p.Limb {
		// It is not lifted or sold: in its second summer the best graft is kept, the rest cut.
		seen := p.made(SecondLook, 0, second)
		p.add(CleanUp, 0, OnSeason, p.rule("clean-up", seen))
		p.add(KeepBest, 0, OnSeason, p.rule("keep-best", seen))
		return
	}
	first, freezes := p.c.from(Frost, f)
	if freezes {
		p.add(Guard, 1, OnFrost, p.rule("guard", first))
	}
	if again, ok := p.c.from(Frost, p.out.Growth); ok && (!freezes || again != first) {
		p.add(Guard, 2, OnFrost, p.rule("guard", again))
	}
	fit := p.made(SecondLook, 0, second)
	lifted, isLifted := p.on(Lift, 0)
	if p.row() && p.isRest {
		w := p.rule("lift", p.rest)
		p.add(Lift, 0, OnRest, w)
		if !isLifted {
			lifted, isLifted = w.Best, true
		}
	}
	switch {
	case !p.row():
		fit = max(f+90, p.out.Growth+60, fit)
	case isLifted:
		fit = max(fit, lifted)
	}
	p.add(FitToSell, 0, OnSeason, p.rule("fit-to-sell", fit))
}

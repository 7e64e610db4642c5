package orders

import (
	"fmt"
	"html/template"
	"net/http"
	"strconv"
	"strings"

	"unionknot/internal/core/rehearsal"
	"unionknot/internal/core/trainer"
	"unionknot/internal/nursery"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

type trainerLine struct {
	trainer.Standing
	Name    string
	Trees   int
	Drawing template.HTML
	Met     float64
	Class   string
	Kept    bool
	Lacks   int
}

type trainerHand struct {
	No         int
	Name       string
	Grafts     int
	Order, Lot int
}

type trainerPage struct {
	Seed, Another uint64
	Moves         string
	Problem       string
	Weeks, WeekNo int
	Over          bool
	End           string
	News          []string
	Lines         []trainerLine
	Hands         []trainerHand
	Orders        []string
	LotNames      []string
	CoachSays     string
	CoachMoves    []string
	Tries         int
	Truth         []string
}

// mostSeeds bounds the seasons that there are.
const mostSeeds = 100_000

// readMoves reads the weeks that were played: weeks apart by ".", hands by "-", each an order and
// a lot, or "r" for rest.
func readMoves(s string) (out [][]trainer.Move, ok bool) {
	if s == "" {
		return nil, true
	}
	for _, week := range strings.Split(s, ".") {
		var moves []trainer.Move
		for _, m := range strings.Split(week, "-") {
			switch {
			case m == "r":
				moves = append(moves, trainer.Move{Order: trainer.Rest})
			case len(m) == 2 && m[0] >= '0' && m[0] <= '9' && m[1] >= '0' && m[1] <= '9':
				moves = append(moves, trainer.Move{Order: int(m[0] - '0'), Lot: int(m[1] - '0')})
			default:
				return nil, false
			}
		}
		out = append(out, moves)
	}
	return out, true
}

func writeMove(m trainer.Move) string {
	if m.Order == trainer.Rest {
		return "r"
	}
	return fmt.Sprintf("%d%d", m.Order, m.Lot)
}

// trainer plays a made-up season; the address is the whole of it.
func (o orders) trainer(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	seed, err := strconv.ParseUint(q.Get("seed"), 10, 64)
	if err != nil || seed > mostSeeds {
		seed = 1
	}
	if q.Get("play") != "" {
		var moves []string
		for h := range words.TrainerHands {
			order, _ := strconv.Atoi(q.Get(fmt.Sprint("o", h)))
			lot, _ := strconv.Atoi(q.Get(fmt.Sprint("l", h)))
			moves = append(moves, writeMove(trainer.Move{Order: max(trainer.Rest, min(9, order)), Lot: max(0, min(9, lot))}))
		}
		played := strings.Join(moves, "-")
		if before := q.Get("moves"); before != "" {
			played = before + "." + played
		}
		return page.Go(w, r, fmt.Sprintf("/orders/trainer?seed=%d&moves=%s", seed, template.URLQueryEscaper(played)))
	}
	p := trainerPage{Seed: seed, Another: seed%mostSeeds + 1, Moves: q.Get("moves")}
	g, status := trainer.New(seed), http.StatusOK
	weeks, ok := readMoves(p.Moves)
	for _, moves := range weeks {
		if ok = ok && g.Play(moves) == nil; !ok {
			break
		}
	}
	if !ok {
		g, p.Moves, p.Problem, status = trainer.New(seed), "", words.TrainerBroken, http.StatusUnprocessableEntity
		weeks = nil
	}
	c, err := nursery.Heavy(r.Context(), o.Nursery.Kernel, g.Coach)
	if err != nil {
		return err
	}
	p.show(g, c, weeks)
	if g.Over {
		coach, err := nursery.Heavy(r.Context(), o.Nursery.Kernel, func() (int, error) { return trainer.ByCoach(seed) })
		if err != nil {
			return err
		}
		p.End = words.TrainerEnd(g.Met(), len(g.Orders), coach)
	}
	return o.ShowStatus(w, r, o.views["trainer"], page.Frame{Title: "A season to practise on", Stage: "Orders", Data: p,
		Form: page.NewForm()}, status)
}

func (p *trainerPage) show(g *trainer.Game, c trainer.Coach, weeks [][]trainer.Move) {
	p.Weeks, p.WeekNo, p.Over, p.Tries = g.Weeks, g.Week+1, g.Over, trainer.Tries
	for _, e := range g.Events {
		p.News = append(p.News, words.TrainerEvent(e.Kind, words.TrainerHands[e.Hand], words.TrainerOrders[e.Order], e.N, e.Of))
	}
	p.Orders = words.TrainerOrders
	for i := range g.Lots {
		p.LotNames = append(p.LotNames, fmt.Sprintf("%s, %d stems", words.TrainerLot(i), g.Left[i]))
	}
	for i, s := range g.Standing() {
		l := trainerLine{Standing: s, Name: words.TrainerOrders[i], Trees: g.Orders[i].Trees, Kept: s.Live >= g.Orders[i].Trees}
		l.Lacks = max(0, l.Trees-s.Live)
		if !g.Over {
			out := c.Chance[i]
			l.Met, l.Class, l.Drawing = out.Met, chanceClass(out), draw.Seasons(out, l.Trees, l.Name)
		}
		p.Lines = append(p.Lines, l)
	}
	for h, x := range g.Hands {
		y := trainerHand{No: h, Name: words.TrainerHands[h], Grafts: x.Grafts, Order: h % len(g.Orders)}
		if n := len(weeks); n > 0 && h < len(weeks[n-1]) {
			y.Order, y.Lot = weeks[n-1][h].Order, weeks[n-1][h].Lot
		}
		p.Hands = append(p.Hands, y)
	}
	if g.Over {
		for _, h := range trainer.Ranked(g.HandEffect) {
			p.Truth = append(p.Truth, words.TrainerTruth(words.TrainerHands[h], g.HandEffect[h]))
		}
		for _, l := range trainer.Ranked(g.LotEffect) {
			p.Truth = append(p.Truth, words.TrainerTruth(words.TrainerLot(l), g.LotEffect[l]))
		}
		return
	}
	p.CoachSays = words.TrainerCoach(c.Plain, c.With, len(g.Orders))
	for h, m := range c.Moves {
		order := ""
		if m.Order != trainer.Rest {
			order = words.TrainerOrders[m.Order]
		}
		p.CoachMoves = append(p.CoachMoves, words.TrainerMove(words.TrainerHands[h], order, words.TrainerLot(m.Lot)))
	}
}

// chanceClass is how a chance is coloured.
func chanceClass(o rehearsal.Outcome) string {
	switch {
	case o.Met >= safeChance:
		return "safe"
	case o.Met >= fairChance:
		return "fair"
	}
	return "low"
}

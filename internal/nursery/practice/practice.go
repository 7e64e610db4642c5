// Package practice keeps what people do to learn, apart from what is made: sheets of cuts, and the
// drawn union laid by eye.
package practice

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/sizing"
	"unionknot/internal/core/union"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Stage carries out what people do here. Make one with New.
type Stage struct {
	*nursery.Kernel
}

// New makes the stage.
func New(k *nursery.Kernel) *Stage { return &Stage{k} }

// Sheet is one as it is kept.
type Sheet = store.PracticeSheet

// Day is practice of a technique on one day.
type Day struct {
	On          time.Time
	Technique   string
	Cuts        int
	Flat, Fit   sizing.Interval
	FlatN, FitN int
}

// Page is somebody's practice: their sheets, and the drawn union to be laid by eye.
type Page struct {
	Person     store.Person
	People     []store.Person
	Sheets     []store.PracticeSheet // newest first
	Days       []Day                 // oldest first, of the technique chosen
	Technique  string
	Names      map[string]string
	Techniques []string
	Task       Task
	Guesses    []store.Guess
	Mean       float64 // score of the last ten
	Stray      float64 // mm, of unions cut open; 0 where there are too few
	Strays     int
	Boss       bool
	Face       union.Face // the house's
	Manner     union.Manner
}

// Task is a union to be laid by eye: the stems, and where the scion lies best.
type Task struct {
	Seed      uint64
	Technique string
	Stems     union.Stems
	Joint     union.Joint
	Best      float64 // mm from the centre
	Reach     float64 // how far the scion can be moved, in mm
	MostMM    float64 // contact at the best
}

// trained are the techniques that are laid by eye.
var trained = []string{"splice", "whip-and-tongue", "cleft-one-side", "side-veneer"}

// TaskOf draws the task of a seed: the same one for the same seed.
func TaskOf(seed uint64, face union.Face) (Task, error) {
	r := rand.New(rand.NewPCG(seed, 0x756e))
	t := Task{Seed: seed, Technique: trained[r.IntN(len(trained))]}
	low, high := 0.55, 0.95
	if t.Technique == "splice" || t.Technique == "whip-and-tongue" {
		low = 0.80
	}
	t.Stems.Stock = math.Round((8+6*r.Float64())*10) / 10
	t.Stems.Scion = math.Round(t.Stems.Stock*(low+(high-low)*r.Float64())*10) / 10
	j, err := union.For(t.Technique, t.Stems, face)
	if err != nil {
		return t, err
	}
	t.Joint, t.Reach = j, math.Round((j.Flush*2+1)*100)/100
	for i := range 401 {
		u := t.Reach * float64(i) / 400
		if mm := t.Contact(u); mm > t.MostMM+1e-9 {
			t.Best, t.MostMM = u, mm
		}
	}
	return t, nil
}

// Contact is how much cambium meets where the scion is moved so far to the near side, in mm.
func (t Task) Contact(shift float64) float64 {
	return t.Joint.At(union.Placement{Shift: shift}, union.Tolerance).MM
}

// Score is a guess's contact in a hundred of the most that can be had.
func (t Task) Score(shift float64) int {
	if t.MostMM <= 0 {
		return 0
	}
	return int(math.Round(100 * math.Min(1, t.Contact(shift)/t.MostMM)))
}

// Practice gathers somebody's practice; 0 is the asker's own. A bench hand sees their own.
func (s *Stage) Practice(ctx context.Context, a nursery.Actor, person int64, technique string, seed uint64) (p Page, err error) {
	if person == 0 || a.Role != nursery.Propagator {
		person = a.ID
	}
	q := s.DB.Q()
	if p.Person, err = q.Person(ctx, person); err != nil {
		return p, err
	}
	f, err := s.Facts(ctx)
	if err != nil {
		return p, err
	}
	if p.Sheets, err = q.PracticeSheets(ctx, person); err != nil {
		return p, err
	}
	p.Face, p.Manner = outlook.FaceWay(f.Way(outlook.WayFace)), outlook.MannerOf(f)
	p.Boss, p.Names = a.Role == nursery.Propagator, map[string]string{}
	if p.Boss {
		p.People = f.Workers()
	}
	for _, t := range f.Techniques {
		p.Techniques, p.Names[t.Key] = append(p.Techniques, t.Key), t.Name
	}
	by := map[string]int{}
	for _, x := range p.Sheets {
		by[x.Technique] += x.Cuts
		if by[x.Technique] > by[p.Technique] {
			p.Technique = x.Technique
		}
	}
	if p.Names[technique] != "" {
		p.Technique = technique
	}
	p.Days = daysOf(p.Sheets, p.Technique)
	slices.Reverse(p.Sheets)
	if seed == 0 {
		seed = rand.Uint64N(1<<31) + 1
	}
	if p.Task, err = TaskOf(seed, outlook.FaceWay(f.Way(outlook.WayFace))); err != nil {
		return p, err
	}
	if p.Guesses, err = q.Guesses(ctx, person, 40); err != nil {
		return p, err
	}
	for i, g := range p.Guesses {
		if i < 10 {
			p.Mean += float64(g.Score) / float64(min(10, len(p.Guesses)))
		}
	}
	for _, x := range f.Strays {
		if x.PersonID == person {
			p.Stray, p.Strays = x.SD, x.N
		}
	}
	return p, nil
}

func daysOf(ss []store.PracticeSheet, technique string) (out []Day) {
	even := sizing.Beta{Alpha: 1, Beta: 1}
	for _, x := range ss {
		if x.Technique != technique {
			continue
		}
		if n := len(out); n == 0 || !out[n-1].On.Equal(x.On) {
			out = append(out, Day{On: x.On, Technique: technique})
		}
		d := &out[len(out)-1]
		d.Cuts, d.FlatN, d.FitN = d.Cuts+x.Cuts, d.FlatN+x.Flat, d.FitN+x.Fit
		d.Flat, d.Fit = even.And(d.FlatN, d.Cuts).Interval90(), even.And(d.FitN, d.Cuts).Interval90()
	}
	return out
}

// KeepSheet keeps a sheet of practice. Anybody keeps their own; a propagator keeps anybody's.
func (s *Stage) KeepSheet(ctx context.Context, a nursery.Actor, x store.PracticeSheet) error {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return err
	}
	if x.PersonID == 0 || a.Role != nursery.Propagator {
		x.PersonID = a.ID
	}
	x.Wood, x.Note = strings.Join(strings.Fields(x.Wood), " "), strings.Join(strings.Fields(x.Note), " ")
	var ps nursery.Problems
	if x.Cuts < 1 || x.Cuts > 500 {
		ps.Add("cuts", "%s", words.SoManyCuts)
	}
	if x.Flat < 0 || x.Flat > x.Cuts {
		ps.Add("flat", "%s", words.NoMoreThanCut)
	}
	if x.Fit < 0 || x.Fit > x.Cuts {
		ps.Add("fit", "%s", words.NoMoreThanCut)
	}
	if len([]rune(x.Wood)) > 60 {
		ps.Add("wood", "%s", words.NameShort)
	}
	if len([]rune(x.Note)) > 300 {
		ps.Add("note", "%s", words.WhyGone)
	}
	if x.On.After(s.Today()) {
		ps.Add("on", "%s", words.NotYet)
	}
	if !nursery.UUIDPattern.MatchString(x.ID) {
		ps.Add("", "%s", words.ReloadTree)
	}
	if len(ps) > 0 {
		return ps
	}
	x.ByID, x.At = a.ID, s.Now()
	return s.DB.Tx(ctx, func(q store.Q) error {
		f, err := s.FactsIn(ctx, q)
		if err != nil {
			return err
		}
		if _, ok := f.Technique(x.Technique); !ok {
			return nursery.Problem{Field: "technique", Says: words.ChooseTechnique}
		}
		return q.AddPracticeSheet(ctx, x)
	})
}

// UndoSheet takes a sheet back.
func (s *Stage) UndoSheet(ctx context.Context, a nursery.Actor, id string) error {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return err
	}
	if !nursery.UUIDPattern.MatchString(id) {
		return nursery.ErrNotFound
	}
	of := a.ID
	if a.Role == nursery.Propagator {
		of = 0
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		_, err := q.UndoPracticeSheet(ctx, id, of, s.Now())
		return err
	})
}

// Guess keeps where the asker laid a task's scion, and gives the task with its answer.
func (s *Stage) Guess(ctx context.Context, a nursery.Actor, id string, seed uint64, shift float64) (Task, error) {
	f, err := s.Facts(ctx)
	if err != nil {
		return Task{}, err
	}
	t, err := TaskOf(seed, outlook.FaceWay(f.Way(outlook.WayFace)))
	if err != nil {
		return t, err
	}
	if math.IsNaN(shift) || shift < 0 || shift > t.Reach+1e-9 || !nursery.UUIDPattern.MatchString(id) {
		return t, nursery.Problem{Field: "", Says: words.ReloadTree}
	}
	return t, s.DB.Tx(ctx, func(q store.Q) error {
		return q.AddGuess(ctx, store.Guess{ID: id, PersonID: a.ID, Technique: t.Technique, StockMM: t.Stems.Stock, WoodMM: t.Stems.Scion,
			GuessMM: shift, BestMM: t.Best, Score: t.Score(shift), At: s.Now()})
	})
}

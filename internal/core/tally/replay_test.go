package tally_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	. "unionknot/internal/core/tally"
)

var noon = time.Date(2027, time.February, 23, 12, 0, 0, 0, time.UTC)

// bench is one on which n grafts lie, with nothing to draw anew.
func bench(n int) Bench { return Bench{Stems: Heap{Planned: n}, Pieces: Heap{Planned: n}} }

// maker makes taps as a device does.
type maker struct {
	device string
	no     int64
	at     time.Time
}

func (m *maker) tap(k Kind, n int, undoes string) Tap {
	m.no++
	m.at = m.at.Add(time.Second)
	return Tap{ID: fmt.Sprintf("%s-%d", m.device, m.no), Kind: k, N: n, At: m.at, Device: m.device, No: m.no, Undoes: undoes, Theirs: true}
}

// TestTheOrderInWhichTapsComeInDoesNotMatter plays random work on one or two devices,
// whose clocks jump, and weighs it in random orders: the outcome is that of the order
// in which it was made.
func TestTheOrderInWhichTapsComeInDoesNotMatter(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 14))
	for range 300 {
		devices := []*maker{{device: "a", at: noon}, {device: "b", at: noon.Add(time.Minute)}}
		var made []Tap
		for range 5 + r.IntN(30) {
			m := devices[0]
			if r.IntN(4) == 0 {
				m = devices[1]
			}
			if r.IntN(9) == 0 {
				m.at = m.at.Add(time.Duration(r.IntN(120)-60) * time.Minute) // somebody sets the clock
			}
			k, undoes := []Kind{Tied, Tied, Tied, SpoiledWood, Wiped, SetAside, Finish, Undo}[r.IntN(8)], ""
			if k == Undo {
				if len(made) == 0 {
					continue
				}
				undoes = made[r.IntN(len(made))].ID
			}
			made = append(made, m.tap(k, 1+r.IntN(3), undoes))
		}
		b := bench(12)
		b.Stems.Spare, b.Pieces.Spare = r.IntN(3), r.IntN(3)
		want := InOrder(made)
		sums, laid := Replay(want, b)
		for range 5 {
			shuffled := slices.Clone(made)
			r.Shuffle(len(shuffled), func(i, j int) { shuffled[i], shuffled[j] = shuffled[j], shuffled[i] })
			// Weighed as they come in, a few at a time.
			for n := 1; n <= len(shuffled); n += 1 + r.IntN(6) {
				Replay(InOrder(shuffled[:n]), b)
			}
			got := InOrder(shuffled)
			s, l := Replay(got, b)
			assert.Equal(t, want, got)
			assert.Equal(t, sums, s)
			assert.Equal(t, laid, l)
		}
		assert.LessOrEqual(t, sums.Tied, laid.Stems)
		assert.Equal(t, sums.Tied, Add(want).Tied)
	}
}

func TestADevicesCounterStandsAboveItsClock(t *testing.T) {
	m := &maker{device: "a", at: noon}
	tied := m.tap(Tied, 5, "")
	m.at = noon.Add(-3 * time.Hour)
	finish := m.tap(Finish, 1, "")
	taps := InOrder([]Tap{finish, tied})
	s, _ := Replay(taps, bench(8))
	assert.Equal(t, 5, s.Tied)
	assert.True(t, s.Finished)
}

func TestTapsAreWeighedAgain(t *testing.T) {
	m, other := &maker{device: "a", at: noon}, &maker{device: "b", at: noon.Add(10 * time.Second)}
	one, two, back, finish := m.tap(Tied, 1, ""), m.tap(Tied, 2, ""), Tap{}, Tap{}
	back = m.tap(Undo, 1, two.ID)
	finish = m.tap(Finish, 1, "")
	reopen := m.tap(Undo, 1, finish.ID)
	late := other.tap(Tied, 1, "")
	counted := noon.Add(time.Hour)
	came := func(t Tap, at time.Time) Tap { t.Received = at; return t }
	as := func(t Tap, change func(*Tap)) Tap { change(&t); return t }
	for _, c := range []struct {
		name  string
		taps  []Tap
		b     Bench
		tied  int
		holds map[string]Refusal
	}{
		{"an undo before its tap", []Tap{back, one}, bench(9), 1, map[string]Refusal{back.ID: UnknownTap}},
		{"then its tap", []Tap{back, one, two}, bench(9), 1, nil},
		{"a finish before the taps under it", []Tap{finish, two, one}, bench(9), 3, nil},
		{"another device after the finish", []Tap{one, finish, late}, bench(9), 1, map[string]Refusal{late.ID: TagFinished}},
		{"and the finish taken back", []Tap{one, finish, late, reopen}, bench(9), 2, nil},
		{"counted all the same", []Tap{one, finish, as(late, func(t *Tap) { t.Decided = Count })}, bench(9), 2, nil},
		{"left", []Tap{one, as(two, func(t *Tap) { t.Decided = Leave })}, bench(9), 1, map[string]Refusal{two.ID: Left}},
		{"more than laid out", []Tap{one, two}, bench(2), 1, map[string]Refusal{two.ID: MoreThanLaid}},
		{"more than laid out, counted", []Tap{one, as(two, func(t *Tap) { t.Decided = Count })}, bench(2), 1,
			map[string]Refusal{two.ID: MoreThanLaid}},
		{"another's", []Tap{one, as(two, func(t *Tap) { t.Theirs = false })}, bench(9), 1, map[string]Refusal{two.ID: NotTheirs}},
		{"dropped", []Tap{one, two}, Bench{Dropped: true}, 0, map[string]Refusal{one.ID: TagDropped, two.ID: TagDropped}},
		{"after the takes were counted", []Tap{came(one, noon), came(two, counted.Add(1))}, Bench{Stems: Heap{Planned: 9},
			Pieces: Heap{Planned: 9}, Counted: counted}, 1, map[string]Refusal{two.ID: CountedTakes}},
	} {
		t.Run(c.name, func(t *testing.T) {
			taps := InOrder(c.taps)
			s, _ := Replay(taps, c.b)
			held := map[string]Refusal{}
			for _, x := range taps {
				if x.Refused != "" {
					held[x.ID] = x.Refused
				}
			}
			if c.holds == nil {
				c.holds = map[string]Refusal{}
			}
			assert.Equal(t, c.tied, s.Tied)
			assert.Equal(t, c.holds, held)
		})
	}
}

// BenchmarkReplay weighs a tag of 60 taps.
func BenchmarkReplay(b *testing.B) {
	m := &maker{device: "a", at: noon}
	var taps []Tap
	for range 60 {
		taps = append(taps, m.tap(Tied, 1, ""))
	}
	for b.Loop() {
		Replay(InOrder(taps), bench(60))
	}
}

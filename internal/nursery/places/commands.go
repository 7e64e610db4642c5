package places

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"unionknot/internal/core/tally"
	"unionknot/internal/core/wood"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// NewColdPlace is what is asked of a store.
type NewColdPlace struct {
	Name              string
	SetC, LowC, HighC float64
	Kind              string // store, heal or grow; "" is a store
}

// AddColdPlace keeps a store.
func (s *Stage) AddColdPlace(ctx context.Context, a nursery.Actor, n NewColdPlace) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	n.Name = strings.Join(strings.Fields(n.Name), " ")
	var ps nursery.Problems
	if n.Name == "" || utf8.RuneCountInString(n.Name) > 60 {
		ps.Add("name", words.NameThePlaceAsIt)
	}
	n.Kind = cmp.Or(n.Kind, Store)
	checkColds(&ps, n.Kind, n.SetC, n.LowC, n.HighC)
	if err := ps.Err(); err != nil {
		return err
	}
	err := s.DB.Tx(ctx, func(q store.Q) error {
		if _, err := q.AddColdPlace(ctx, store.ColdPlace{Name: n.Name, SetC: n.SetC, LowC: n.LowC, HighC: n.HighC,
			Kind: n.Kind, MadeAt: s.Now()}); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "store", n.Name, "added", nil, n)
	})
	return nursery.Taken(err, "name", "Store", n.Name)
}

// Kinds of places with a temperature.
const (
	Store = "store"
	Heal  = "heal"
	Grow  = "grow"
)

func checkColds(ps *nursery.Problems, kind string, set, low, high float64) {
	most, top := 20.0, 30.0
	if kind != Store {
		most, top = 35, 45
	}
	if set < -10 || set > most {
		ps.Add("set_c", "%s", words.SetBetween(-10, most))
	}
	if low < -10 || high > top || high <= low {
		ps.Add("low_c", words.TheSafeBandRunsFrom)
	}
}

// ChangeCold is what can be changed of a store.
type ChangeCold struct {
	SetC, LowC, HighC float64
	Fruit             bool
}

// ChangeColdPlace changes a store's settings.
func (s *Stage) ChangeColdPlace(ctx context.Context, a nursery.Actor, name string, n ChangeCold) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.ColdPlaceByName(ctx, name)
		if err != nil {
			return err
		}
		var ps nursery.Problems
		checkColds(&ps, p.Kind, n.SetC, n.LowC, n.HighC)
		if err := ps.Err(); err != nil {
			return err
		}
		was := p
		p.SetC, p.LowC, p.HighC = n.SetC, n.LowC, n.HighC
		switch {
		case !n.Fruit:
			p.FruitSince = nil
		case p.FruitSince == nil:
			today := s.Today()
			p.FruitSince = &today
		}
		if err := q.ChangeColdPlace(ctx, p); err != nil {
			return err
		}
		return s.Changed(
			ctx,
			q,
			a,
			"store",
			p.Name,
			"changed",
			map[string]any{"set": was.SetC, "low": was.LowC, "high": was.HighC, "fruit": was.FruitSince != nil},
			n,
		)
	})
}

// LoggerKey makes a new key for a store's logger; the one before is void. It
// is shown once: only its hash is kept.
func (s *Stage) LoggerKey(ctx context.Context, a nursery.Actor, name string) (string, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return "", err
	}
	var raw [24]byte
	rand.Read(raw[:])
	key := hex.EncodeToString(raw[:])
	return key, s.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.ColdPlaceByName(ctx, name)
		if err != nil {
			return err
		}
		p.KeyHash = hashOf(key)
		if err := q.ChangeColdPlace(ctx, p); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "store", p.Name, words.ANewLoggerKey, nil, nil)
	})
}

func hashOf(key string) []byte {
	h := sha256.Sum256([]byte(key))
	return h[:]
}

// ErrNoKey says that no store's logger has the key.
var ErrNoKey = errors.New("no logger has this key")

// mostIntake bounds one message of a logger.
const mostIntake = 5000

// Intake keeps readings that a logger sends with its key. Sent again, they
// are the same readings. It gives how many were new.
func (s *Stage) Intake(ctx context.Context, key string, rs []wood.Reading) (int, error) {
	q := s.DB.Q()
	p, err := q.ColdPlaceByKey(ctx, hashOf(key))
	if errors.Is(err, nursery.ErrNotFound) {
		return 0, ErrNoKey
	} else if err != nil {
		return 0, err
	}
	return s.keepColds(ctx, q, p, rs, "logger", nil)
}

// LoggersStore gives the store that a logger's key is for: ErrNoKey where it is none's.
func (s *Stage) LoggersStore(ctx context.Context, key string) (int64, error) {
	p, err := s.DB.Q().ColdPlaceByKey(ctx, hashOf(key))
	if errors.Is(err, nursery.ErrNotFound) {
		err = ErrNoKey
	}
	return p.ID, err
}

func (s *Stage) keepColds(ctx context.Context, q store.Q, p store.ColdPlace, rs []wood.Reading, source string, by *int64) (int, error) {
	if len(rs) > mostIntake {
		return 0, nursery.Problem{Field: "", Says: fmt.Sprintf(words.SendAtMostNReadings, mostIntake)}
	}
	out := make([]store.ColdReading, len(rs))
	for i, r := range rs {
		if err := coldSound(r.At, r.C, s.Now()); err != "" {
			return 0, nursery.Problem{Field: "c", Says: err}
		}
		out[i] = store.ColdReading{At: r.At, C: math.Round(r.C*100) / 100, Source: source, Doubted: wood.Doubtful(r.C)}
	}
	return q.AddColdReadings(ctx, p.ID, out, by)
}

// coldSound says what is wrong with a reading, or "".
func coldSound(at time.Time, c float64, now time.Time) string {
	switch {
	case !(c >= -60 && c <= 80):
		return fmt.Sprintf(words.NCIsNoStores, c)
	case at.After(now.Add(10 * time.Minute)):
		return at.Format("2006-01-02 15:04") + words.IsStillToComeSet
	case at.Year() < 2000:
		return at.Format("2006-01-02") + words.IsTooLongAgoSet
	}
	return ""
}

// ReadCold keeps a temperature read by hand, now.
func (s *Stage) ReadCold(ctx context.Context, a nursery.Actor, name string, c float64) error {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return err
	}
	if says := coldSound(s.Now(), c, s.Now()); says != "" {
		return nursery.Problem{Field: "c", Says: says}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.ColdPlaceByName(ctx, name)
		if err != nil {
			return err
		}
		if again, err := nursery.SentBefore(ctx, q, words.AReadingOf+p.Name); err != nil || again {
			return err
		}
		_, err = q.AddColdReadings(ctx, p.ID, []store.ColdReading{{At: s.Now(), C: c, Source: "by hand", Doubted: wood.Doubtful(c)}}, &a.ID)
		return err
	})
}

// SettleReading says of a reading in doubt that it is right, or strikes it.
func (s *Stage) SettleReading(
	ctx context.Context, a nursery.Actor, name string, at time.Time, keep bool,
) (r store.ColdReading, err error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return r, err
	}
	err = s.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.ColdPlaceByName(ctx, name)
		if err != nil {
			return err
		}
		r, err = q.SettleReading(ctx, p.ID, at, keep)
		if errors.Is(err, nursery.ErrNotFound) {
			return nil // settled already
		} else if err != nil {
			return err
		}
		return s.Changed(
			ctx,
			q,
			a,
			"store",
			p.Name,
			map[bool]string{true: words.ADoubtedReadingKept, false: words.ADoubtedReadingStruck}[keep],
			nil,
			r,
		)
	})
	return r, err
}

// DoubtAgain takes back how a doubted reading was settled.
func (s *Stage) DoubtAgain(ctx context.Context, a nursery.Actor, name string, r store.ColdReading) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.ColdPlaceByName(ctx, name)
		if err != nil {
			return err
		}
		if err := q.DoubtAgain(ctx, p.ID, r); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "store", p.Name, "doubted again", nil, r)
	})
}

// UnlookCold takes back the last look that somebody noted at a place by one tap.
func (s *Stage) UnlookCold(ctx context.Context, a nursery.Actor, name string) error {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.ColdPlaceByName(ctx, name)
		if err != nil {
			return err
		}
		l, err := q.DropLook(ctx, p.ID, a.ID, s.Now().Add(-nursery.BackWithin), s.Now())
		if err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "store", p.Name, "look undone", l.Found, nil)
	})
}

// Simulate keeps readings of the shipped stand-in for a logger.
func (s *Stage) Simulate(ctx context.Context, a nursery.Actor, name string, rs []wood.Reading) (int, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return 0, err
	}
	q := s.DB.Q()
	p, err := q.ColdPlaceByName(ctx, name)
	if err != nil {
		return 0, err
	}
	n := 0
	for chunk := range slices.Chunk(rs, mostIntake) {
		k, err := s.keepColds(ctx, q, p, chunk, "simulated logger", &a.ID)
		if err != nil {
			return n, err
		}
		n += k
	}
	return n, nil
}

// NewLook is what was found when somebody looked.
type NewLook struct {
	Bundle string // a bundle's code, or "" for the whole place
	Found  string
	Thrown int // pieces
	Note   string
}

// LookAtCold keeps a look at a store or at one of its bundles, and throws out
// what was thrown out.
func (s *Stage) LookAtCold(ctx context.Context, a nursery.Actor, name string, n NewLook) error {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return err
	}
	n.Bundle = nursery.CleanCode(n.Bundle)
	if !slices.Contains(outlook.Found, n.Found) {
		return nursery.Problem{Field: "found", Says: words.SayWhatWasFound + strings.Join(outlook.Found, ", ") + "."}
	}
	if n.Thrown < 0 || n.Thrown > 0 && n.Bundle == "" {
		return nursery.Problem{Field: "thrown", Says: words.SayOfWhichBundleThe}
	}
	if n.Thrown > 0 && a.Role != nursery.Propagator {
		return nursery.Problem{Field: "thrown", Says: words.NotYoursToThrow}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.ColdPlaceByName(ctx, name)
		if err != nil {
			return err
		}
		if again, err := nursery.SentBefore(ctx, q, words.ALookAt+p.Name); err != nil || again {
			return err
		}
		l := store.Look{Found: n.Found, Thrown: n.Thrown, Note: strings.TrimSpace(n.Note), PersonID: a.ID, At: s.Now()}
		if n.Bundle == "" {
			l.PlaceID = &p.ID
		} else {
			b, err := q.BundleByCode(ctx, n.Bundle)
			if errors.Is(err, nursery.ErrNotFound) {
				return nursery.Problem{Field: "bundle", Says: words.NoBundleIsCalled + n.Bundle + "."}
			} else if err != nil {
				return err
			}
			l.BundleID = &b.ID
			if n.Thrown > 0 {
				err := q.MoveWood(ctx, store.Move{Of: b.ID, N: n.Thrown, From: store.Free, To: store.Spoiled,
					Reason: string(tally.ThrownOut), Note: n.Found, PersonID: a.ID, At: s.Now()})
				if err != nil {
					return nursery.Short(err, "thrown", fmt.Sprintf(words.BundleXHasNPieces, b.Code, b.Free))
				}
			}
		}
		return q.AddLook(ctx, l)
	})
}

// MoveBundle notes that a bundle is kept elsewhere now.
func (s *Stage) MoveBundle(ctx context.Context, a nursery.Actor, code, place string) error {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		b, err := q.BundleByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		place = strings.Join(strings.Fields(place), " ")
		if err := q.MoveBundle(ctx, b.ID, place, s.Now()); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "bundle", b.Code, "moved", b.Place, place)
	})
}

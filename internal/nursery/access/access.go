package access

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"golang.org/x/crypto/argon2"

	"unionknot/internal/nursery"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Cost of a password: 19 MiB, two passes.
const (
	argonMemory = 19 * 1024
	argonPasses = 2
)

func hashSecret(secret string) string {
	salt := make([]byte, 16)
	rand.Read(salt)
	return seal(secret, salt, argonMemory, argonPasses)
}

func seal(secret string, salt []byte, memory, passes uint32) string {
	key := argon2.IDKey([]byte(secret), salt, passes, memory, 1, 32)
	b := base64.RawStdEncoding
	return fmt.Sprintf("argon2id$%d$%d$%s$%s", memory, passes, b.EncodeToString(salt), b.EncodeToString(key))
}

// secretFits says whether a secret is that of a hash, at the cost that the hash names,
// and whether that is another than today's: then it is hashed anew.
func secretFits(hash, secret string) (fits, old bool) {
	parts := strings.Split(hash, "$")
	if len(parts) != 5 || parts[0] != "argon2id" {
		return false, false
	}
	memory, err1 := strconv.ParseUint(parts[1], 10, 32)
	passes, err2 := strconv.ParseUint(parts[2], 10, 32)
	salt, err3 := base64.RawStdEncoding.DecodeString(parts[3])
	if errors.Join(err1, err2, err3) != nil || memory < 8 || memory > 1<<20 || passes < 1 || passes > 64 {
		return false, false
	}
	fits = subtle.ConstantTimeCompare([]byte(seal(secret, salt, uint32(memory), uint32(passes))), []byte(hash)) == 1
	return fits, memory != argonMemory || passes != argonPasses
}

// nobody is checked when there is no such person, so that a wrong name takes
// as long as a wrong password.
var nobody = seal("", make([]byte, 16), argonMemory, argonPasses)

// SetupCode readies an empty house for its first propagator and gives the
// one-time code to print on the console. It gives "" when the house has one.
func (s *Stage) SetupCode(ctx context.Context) (string, error) {
	code := ""
	err := s.DB.Tx(ctx, func(q store.Q) error {
		h, err := q.LockHouse(ctx)
		if err != nil {
			return err
		}
		if n, err := q.Propagators(ctx); err != nil || n > 0 {
			return err
		}
		const signs = "ABCDEFGHJKLMNPQRSTVWXYZ23456789"
		r := nursery.Random()
		b := make([]byte, 10)
		for i := range b {
			b[i] = signs[r.IntN(len(signs))]
		}
		code = string(b[:5]) + "-" + string(b[5:])
		hash := hashSecret(code)
		h.SetupCodeHash = &hash
		return q.UpdateHouse(ctx, h)
	})
	return code, err
}

// Empty says whether nobody can run this house yet.
func (s *Stage) Empty(ctx context.Context) (bool, error) {
	n, err := s.DB.Q().Propagators(ctx)
	return n == 0, err
}

// FirstPropagator makes the first account with the one-time code.
func (s *Stage) FirstPropagator(ctx context.Context, code, house, name, signIn, password string) (nursery.Actor, error) {
	var ps nursery.Problems
	name, signIn = strings.TrimSpace(name), strings.ToLower(strings.TrimSpace(signIn))
	checkPerson(&ps, name, signIn)
	checkPassword(&ps, "password", password, name, signIn, house)
	if strings.TrimSpace(house) == "" {
		ps.Add("house", words.GiveTheNurseryAName)
	}
	if err := ps.Err(); err != nil {
		return nursery.Actor{}, err
	}
	var a nursery.Actor
	err := s.DB.Tx(ctx, func(q store.Q) error {
		h, err := q.LockHouse(ctx)
		if err != nil {
			return err
		}
		if n, err := q.Propagators(ctx); err != nil {
			return err
		} else if n > 0 {
			return nursery.Problem{Field: "", Says: words.ThisHouseHasItsPropagator}
		}
		if h.SetupCodeHash == nil || !fitsSecret(*h.SetupCodeHash, strings.ToUpper(strings.TrimSpace(code))) {
			return nursery.Problem{
				Field: "code",
				Says:  words.ThatIsNotTheCode,
			}
		}
		hash := hashSecret(password)
		id, err := q.AddPerson(ctx, store.Person{Name: name, SignIn: signIn, Role: string(nursery.Propagator), PasswordHash: &hash})
		if err != nil {
			return err
		}
		h.SetupCodeHash, h.Name = nil, strings.TrimSpace(house)
		a = nursery.Actor{ID: id, Name: name, Role: nursery.Propagator}
		if err := s.Changed(ctx, q, a, "person", name, words.OpenedTheHouse, nil, nil); err != nil {
			return err
		}
		return q.UpdateHouse(ctx, h)
	})
	return a, err
}

func checkPerson(ps *nursery.Problems, name, signIn string) {
	if name == "" || utf8.RuneCountInString(name) > 60 {
		ps.Add("name", words.GiveANameOfUp)
	}
	if signIn == "" || utf8.RuneCountInString(signIn) > 60 || strings.ContainsAny(signIn, " \t/") {
		ps.Add("sign_in", words.GiveASignInName)
	}
}

// Actor finds who a session belongs to; ErrNotFound when they have left. What
// was found stands for actorFor, so that each tap need not ask again.
func (s *Stage) Actor(ctx context.Context, id int64) (nursery.Actor, error) {
	if a, ok := s.known.get(id); ok {
		return a, nil
	}
	p, err := s.DB.Q().Person(ctx, id)
	if err != nil {
		return nursery.Actor{}, err
	}
	if p.LeftOn != nil {
		return nursery.Actor{}, nursery.ErrNotFound
	}
	a := nursery.Actor{ID: p.ID, Name: p.Name, Role: nursery.Role(p.Role), Tongue: p.Tongue}
	s.known.put(a)
	return a, nil
}

// actorFor is how long somebody who was found is taken for still being here: so
// long after they leave another server may let them go on.
const actorFor = 2 * time.Second

// actors are those found lately.
type actors struct {
	mu sync.Mutex
	of map[int64]foundActor
}

type foundActor struct {
	nursery.Actor
	at time.Time
}

func (f *actors) get(id int64) (nursery.Actor, bool) {
	f.mu.Lock()
	defer f.mu.Unlock()
	a, ok := f.of[id]
	return a.Actor, ok && time.Since(a.at) < actorFor
}

func (f *actors) put(a nursery.Actor) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.of == nil || len(f.of) > 10_000 {
		f.of = map[int64]foundActor{}
	}
	f.of[a.ID] = foundActor{a, time.Now()}
}

// forget makes somebody be looked up anew.
func (f *actors) forget(id int64) {
	f.mu.Lock()
	defer f.mu.Unlock()
	delete(f.of, id)
}

// BenchNames lists who can pick their name on a bench tablet.
func (s *Stage) BenchNames(ctx context.Context) ([]store.Person, error) {
	ps, err := s.DB.Q().People(ctx)
	var out []store.Person
	for _, p := range ps {
		if p.LeftOn == nil && p.PINHash != nil && nursery.Role(p.Role) != nursery.Looker {
			out = append(out, p)
		}
	}
	return out, err
}

// People lists everybody, for the House page.
func (s *Stage) People(ctx context.Context, a nursery.Actor) ([]store.Person, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return nil, err
	}
	ps, err := s.DB.Q().People(ctx)
	return slices.DeleteFunc(ps, func(p store.Person) bool { return nursery.Role(p.Role) == snapshot.Class }), err
}

// Workers lists who can be given a tag.
func (s *Stage) Workers(ctx context.Context) ([]store.Person, error) {
	f, err := s.Facts(ctx)
	if err != nil {
		return nil, err
	}
	return f.Workers(), nil
}

// SetKeys turns the asker's single keys off, or on again.
func (s *Stage) SetKeys(ctx context.Context, a nursery.Actor, off bool) error {
	return s.DB.Q().SetKeys(ctx, a.ID, off)
}

// SetTongue says in which tongue somebody reads the pages that are in it.
func (s *Stage) SetTongue(ctx context.Context, a nursery.Actor, tongue string) error {
	if !words.IsTongue(tongue) {
		return nursery.Problem{Says: words.NoSuchTongue}
	}
	defer s.known.forget(a.ID)
	return s.DB.Q().SetTongue(ctx, a.ID, tongue)
}

// NewPerson is what the House page asks of somebody new.
type NewPerson struct {
	Name, SignIn, Role, Password, PIN string
}

// AddPerson takes somebody on. A looker or propagator needs a password, a
// bench hand a PIN or a password.
func (s *Stage) AddPerson(ctx context.Context, a nursery.Actor, n NewPerson) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	var ps nursery.Problems
	p := store.Person{Name: strings.TrimSpace(n.Name), SignIn: strings.ToLower(strings.TrimSpace(n.SignIn)), Role: n.Role}
	checkPerson(&ps, p.Name, p.SignIn)
	switch nursery.Role(n.Role) {
	case nursery.Propagator, nursery.Looker:
		if n.Password == "" {
			ps.Add("password", words.AXSignsInAt, n.Role)
		}
	case nursery.BenchHand:
		if n.Password == "" && n.PIN == "" {
			ps.Add("pin", words.GiveAPINForThe)
		}
	default:
		ps.Add("role", words.ChooseRole)
	}
	if n.Password != "" {
		checkPassword(&ps, "password", n.Password, p.Name, p.SignIn)
	}
	if n.PIN != "" {
		checkPIN(&ps, "pin", n.PIN)
	}
	if err := ps.Err(); err != nil {
		return err
	}
	if n.Password != "" {
		h := hashSecret(n.Password)
		p.PasswordHash = &h
	}
	if n.PIN != "" {
		h := hashSecret(n.PIN)
		p.PINHash = &h
	}
	err := s.DB.Tx(ctx, func(q store.Q) error {
		if _, err := q.AddPerson(ctx, p); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "person", p.Name, "taken on", nil, map[string]string{"role": p.Role, "sign_in": p.SignIn})
	})
	if errors.Is(err, store.ErrTaken) {
		return nursery.Problem{Field: "sign_in", Says: words.SomebodyHereHasThatName}
	}
	return err
}

// Leave ends somebody's access; their tags and counts stay. With back it
// gives the access again.
func (s *Stage) Leave(ctx context.Context, a nursery.Actor, id int64, back bool) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	defer s.known.forget(id)
	return s.DB.Tx(ctx, func(q store.Q) error {
		if _, err := q.LockHouse(ctx); err != nil { // two leaving at once must not empty the house
			return err
		}
		p, err := q.Person(ctx, id)
		if err != nil {
			return err
		}
		if nursery.Role(p.Role) == snapshot.Class {
			return nursery.ErrNotFound
		}
		if n, err := q.Propagators(ctx); err != nil {
			return err
		} else if !back && nursery.Role(p.Role) == nursery.Propagator && n < 2 && p.LeftOn == nil {
			return nursery.Problem{Field: "", Says: words.TheLastPropagatorCannotLeave}
		}
		if IsErased(p) {
			return nursery.Problem{Field: "", Says: words.IsErased}
		}
		doing := "came back"
		p.LeftOn = nil
		if !back {
			day := s.Today()
			p.LeftOn, doing = &day, "left"
		}
		if err := q.UpdatePerson(ctx, p); err != nil {
			return err
		}
		if !back {
			if err := q.EndSessions(ctx, p.ID, ""); err != nil {
				return err
			}
		}
		return s.Changed(ctx, q, a, "person", p.Name, doing, nil, nil)
	})
}

// HandedIn finds whose work a shared tablet hands in, kept on it while the line was
// down: with a bench hand's rights and no more, though they have left meanwhile.
func (s *Stage) HandedIn(ctx context.Context, by int64, openedBy int64) (nursery.Actor, error) {
	p, err := s.DB.Q().Person(ctx, by)
	if err != nil {
		return nursery.Actor{}, err
	}
	if nursery.Role(p.Role) == nursery.Looker {
		return nursery.Actor{}, fmt.Errorf("%s looks only: %w", p.Name, nursery.ErrNotAllowed)
	}
	return nursery.Actor{ID: p.ID, Name: p.Name, Role: nursery.BenchHand, Sent: openedBy}, nil
}

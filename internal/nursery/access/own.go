package access

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base32"
	"errors"
	"slices"
	"strconv"
	"strings"
	"time"

	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// NewSecrets are a new password and PIN; "" leaves one as it is.
type NewSecrets struct{ Password, PIN string }

func (n NewSecrets) check(p store.Person) nursery.Problems {
	var ps nursery.Problems
	if n.Password == "" && n.PIN == "" {
		ps.Add("password", "%s", words.GiveASecret)
	}
	if n.Password != "" {
		checkPassword(&ps, "password", n.Password, p.Name, p.SignIn)
	}
	if n.PIN != "" {
		checkPIN(&ps, "pin", n.PIN)
	}
	return ps
}

func (n NewSecrets) in(p *store.Person) {
	if n.Password != "" {
		h := hashSecret(n.Password)
		p.PasswordHash = &h
	}
	if n.PIN != "" {
		h := hashSecret(n.PIN)
		p.PINHash = &h
	}
}

// ChangeOwn changes the asker's own password, PIN or both. The old password is asked, or
// the old PIN where they have no password. Their other sessions end; session is the hash
// of the one that stays.
func (s *Stage) ChangeOwn(ctx context.Context, a nursery.Actor, old string, n NewSecrets, session, address string) error {
	p, err := s.DB.Q().Person(ctx, a.ID)
	if err != nil {
		return err
	}
	if err := n.check(p).Err(); err != nil {
		return err
	}
	t, hash, wrong := store.Try{Kind: "password", Who: p.SignIn, Address: address}, p.PasswordHash, words.WrongOldPassword
	if hash == nil {
		t, hash, wrong = store.Try{Kind: "pin", Who: strconv.FormatInt(p.ID, 10), Address: address}, p.PINHash, words.WrongOldPIN
	}
	if _, err := s.checkSecret(ctx, t, p, hash, old, wrong, func(*store.Person, string) {}); err != nil {
		var bad nursery.Problem
		if errors.As(err, &bad) {
			return nursery.Problem{Field: "old", Says: bad.Says}
		}
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if p, err = q.Person(ctx, a.ID); err != nil {
			return err
		}
		n.in(&p)
		if err := q.UpdatePerson(ctx, p); err != nil {
			return err
		}
		if err := q.EndSessions(ctx, p.ID, session); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "person", p.Name, words.OwnSecretChanged, nil, nil)
	})
}

// codeLasts is how long a code for a reset can be used.
const codeLasts = 24 * time.Hour

func codeHash(code string) []byte {
	plain := strings.ToUpper(strings.Map(func(r rune) rune {
		if r == '-' || r == ' ' {
			return -1
		}
		return r
	}, code))
	h := sha256.Sum256([]byte(plain))
	return h[:]
}

// ResetCode makes a code with which somebody sets a new password or PIN, once, within a
// day. It is told to them by whoever asked for it; only its hash is kept.
func (s *Stage) ResetCode(ctx context.Context, a nursery.Actor, id int64) (code string, until time.Time, err error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return "", until, err
	}
	return s.resetCode(ctx, a, id)
}

func (s *Stage) resetCode(ctx context.Context, a nursery.Actor, id int64) (code string, until time.Time, err error) {
	b := make([]byte, 15) // 120 bits
	rand.Read(b)
	plain := base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString(b)
	for i := 0; i < len(plain); i += 6 {
		code += "-" + plain[i:min(len(plain), i+6)]
	}
	code = code[1:]
	now := time.Now()
	until = now.Add(codeLasts)
	return code, until, s.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.Person(ctx, id)
		if err != nil {
			return err
		}
		if p.LeftOn != nil {
			return nursery.Problem{Says: words.HasLeft(p.Name)}
		}
		var by *int64
		if a.ID != 0 {
			by = &a.ID
		}
		if err := q.AddDoorCode(ctx, codeHash(code), id, by, now, until); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "person", p.Name, words.ResetMade, nil, nil)
	})
}

// CodeOf gives whose a reset code is; ErrNotFound where it is none, or over.
func (s *Stage) CodeOf(ctx context.Context, code string) (store.Person, error) {
	q := s.DB.Q()
	id, err := q.DoorCode(ctx, codeHash(code), time.Now())
	if err != nil {
		return store.Person{}, err
	}
	return q.Person(ctx, id)
}

// UseCode sets a new password or PIN with a code. All of their sessions end, and wrong
// tries for them are forgotten.
func (s *Stage) UseCode(ctx context.Context, code string, n NewSecrets) (nursery.Actor, error) {
	var a nursery.Actor
	p, err := s.CodeOf(ctx, code)
	if err != nil {
		return a, err
	}
	if err := n.check(p).Err(); err != nil {
		return a, err
	}
	err = s.DB.Tx(ctx, func(q store.Q) error {
		id, err := q.UseDoorCode(ctx, codeHash(code), time.Now())
		if err != nil {
			return err
		}
		if p, err = q.Person(ctx, id); err != nil {
			return err
		}
		n.in(&p)
		if err := q.UpdatePerson(ctx, p); err != nil {
			return err
		}
		if err := q.EndSessions(ctx, p.ID, ""); err != nil {
			return err
		}
		if err := s.forget(ctx, q, p); err != nil {
			return err
		}
		a = nursery.Actor{ID: p.ID, Name: p.Name, Role: nursery.Role(p.Role)}
		return s.Changed(ctx, q, a, "person", p.Name, words.ResetUsed, nil, nil)
	})
	return a, err
}

func (s *Stage) forget(ctx context.Context, q store.Q, p store.Person) error {
	return q.ForgetTries(ctx, []string{p.SignIn, strconv.FormatInt(p.ID, 10)}, time.Now().AddDate(0, 0, -7))
}

// Unlock lets somebody try again at once.
func (s *Stage) Unlock(ctx context.Context, a nursery.Actor, id int64) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.Person(ctx, id)
		if err != nil {
			return err
		}
		if err := s.forget(ctx, q, p); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "person", p.Name, "unlocked", nil, nil)
	})
}

// ChangePerson changes somebody's name and role. The last propagator stays one; whose
// role changes signs in anew.
func (s *Stage) ChangePerson(ctx context.Context, a nursery.Actor, id int64, name, role string) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	name = strings.Join(strings.Fields(name), " ")
	var ps nursery.Problems
	checkPerson(&ps, name, "x")
	if !slices.Contains([]nursery.Role{nursery.Propagator, nursery.BenchHand, nursery.Looker}, nursery.Role(role)) {
		ps.Add("role", "%s", words.ChooseRole)
	}
	if err := ps.Err(); err != nil {
		return err
	}
	defer s.known.forget(id)
	err := s.DB.Tx(ctx, func(q store.Q) error {
		if _, err := q.LockHouse(ctx); err != nil { // two at once must not empty the house
			return err
		}
		p, err := q.Person(ctx, id)
		if err != nil {
			return err
		}
		n, err := q.Propagators(ctx)
		if err != nil {
			return err
		}
		was := []string{p.Name, p.Role}
		if nursery.Role(p.Role) == nursery.Propagator && nursery.Role(role) != nursery.Propagator {
			if n < 2 && p.LeftOn == nil {
				return nursery.Problem{Field: "role", Says: words.LastPropagator}
			}
		}
		if nursery.Role(role) != nursery.BenchHand && p.PasswordHash == nil {
			return nursery.Problem{Field: "role", Says: words.NeedsPassword(p.Name)}
		}
		changed := p.Role != role
		p.Name, p.Role = name, role
		if err := q.UpdatePerson(ctx, p); err != nil {
			return err
		}
		if changed {
			if err := q.EndSessions(ctx, id, ""); err != nil {
				return err
			}
		}
		return s.Changed(ctx, q, a, "person", name, "changed", was, []string{name, role})
	})
	return nursery.Taken(err, "name", "Somebody", name)
}

// OwnPage is what somebody sees of themselves.
type OwnPage struct {
	Person   store.Person
	Sessions []store.Session
}

// Own gathers the asker's own page.
func (s *Stage) Own(ctx context.Context, a nursery.Actor) (OwnPage, error) {
	q := s.DB.Q()
	p, err := q.Person(ctx, a.ID)
	if err != nil {
		return OwnPage{}, err
	}
	ss, err := q.Sessions(ctx, a.ID)
	return OwnPage{p, ss}, err
}

// Devices lists everybody's sessions and open tablets, and for whom the door is shut.
func (s *Stage) Devices(ctx context.Context, a nursery.Actor) (ss []store.Session, shut map[int64]bool, err error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return nil, nil, err
	}
	q := s.DB.Q()
	if ss, err = q.Sessions(ctx, 0); err != nil {
		return nil, nil, err
	}
	who, err := q.Shut(ctx, time.Now())
	if err != nil {
		return nil, nil, err
	}
	ps, err := q.People(ctx)
	shut = map[int64]bool{}
	for _, p := range ps {
		shut[p.ID] = slices.Contains(who, p.SignIn) || slices.Contains(who, strconv.FormatInt(p.ID, 10))
	}
	return ss, shut, err
}

// EndSession ends one session: one's own, or as a propagator anybody's.
func (s *Stage) EndSession(ctx context.Context, a nursery.Actor, token string) error {
	of := a.ID
	if a.Role == nursery.Propagator {
		of = 0
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		n, err := q.EndSession(ctx, token, of)
		if err != nil || n == 0 {
			return err
		}
		return s.Changed(ctx, q, a, "session", a.Name, "ended", nil, nil)
	})
}

// EndOwn ends all of the asker's sessions but one.
func (s *Stage) EndOwn(ctx context.Context, a nursery.Actor, but string) error {
	return s.DB.Tx(ctx, func(q store.Q) error {
		if err := q.EndSessions(ctx, a.ID, but); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "person", a.Name, words.SignedOutAll, nil, nil)
	})
}

// Console is what `unionknot account` does, for somebody at the machine itself.
type Console struct{ *Stage }

// Find gives a person by sign-in name.
func (c Console) Find(ctx context.Context, signIn string) (store.Person, error) {
	return c.DB.Q().PersonBySignIn(ctx, strings.ToLower(strings.TrimSpace(signIn)))
}

// Reset makes a code for somebody.
func (c Console) Reset(ctx context.Context, id int64) (string, time.Time, error) {
	return c.resetCode(ctx, nursery.Actor{}, id)
}

// Unlock lets somebody try again at once.
func (c Console) Unlock(ctx context.Context, id int64) error {
	return c.Stage.Unlock(ctx, nursery.Actor{Role: nursery.Propagator}, id)
}

// Propagator makes somebody a propagator, back from having left if need be, and makes a
// code for them.
func (c Console) Propagator(ctx context.Context, id int64) (string, time.Time, error) {
	err := c.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.Person(ctx, id)
		if err != nil {
			return err
		}
		was := []string{p.Name, p.Role}
		p.Role, p.LeftOn = string(nursery.Propagator), nil
		if err := q.UpdatePerson(ctx, p); err != nil {
			return err
		}
		if err := q.EndSessions(ctx, id, ""); err != nil {
			return err
		}
		return c.Changed(ctx, q, nursery.Actor{}, "person", p.Name, words.OnTheConsole, was, []string{p.Name, p.Role})
	})
	if err != nil {
		return "", time.Time{}, err
	}
	return c.Reset(ctx, id)
}

// NoteTablet notes that somebody opened a tablet.
func (s *Stage) NoteTablet(ctx context.Context, a nursery.Actor) error {
	return s.Changed(ctx, s.DB.Q(), a, "door", a.Name, words.OpenedTablet, nil, nil)
}

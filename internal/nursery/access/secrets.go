package access

import (
	"context"
	_ "embed"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

//go:embed common.txt
var commonText string

// common are passwords, or what they are made of, that are tried first.
var common = strings.Fields(commonText)

var pinPattern = regexp.MustCompile(`^[0-9]{4,8}$`)

// checkPassword says what is wrong with a new password; about are names that it must
// not be made of.
func checkPassword(ps *nursery.Problems, field, password string, about ...string) {
	plain := strings.ToLower(strings.Map(func(r rune) rune {
		if strings.ContainsRune(" -_.,!", r) {
			return -1
		}
		return r
	}, password))
	letters := map[rune]bool{}
	for _, r := range plain {
		letters[r] = true
	}
	bare := strings.Trim(plain, "0123456789")
	switch {
	case len([]rune(password)) < 10:
		ps.Add(field, "%s", words.PasswordShort)
	case len(password) > 200:
		ps.Add(field, "%s", words.PasswordLong)
	case len(letters) < 5 || isRun(plain) || slices.Contains(common, plain) || slices.Contains(common, bare):
		ps.Add(field, "%s", words.PasswordCommon)
	default:
		for _, name := range about {
			name = strings.ToLower(strings.Join(strings.Fields(name), ""))
			if len(name) >= 4 && (bare == name || bare == name+name) {
				ps.Add(field, "%s", words.PasswordName)
				return
			}
		}
	}
}

// isRun says whether signs follow each other: 12345, aaaa, 54321.
func isRun(s string) bool {
	rs := []rune(s)
	for _, step := range []rune{0, 1, -1} {
		all := true
		for i := 1; i < len(rs); i++ {
			if d := rs[i] - rs[i-1]; d != step && !(step == 1 && rs[i-1] == '9' && rs[i] == '0') && !(step == -1 && rs[i-1] == '0' &&
				rs[i] == '9') {
				all = false
				break
			}
		}
		if all {
			return true
		}
	}
	return false
}

// checkPIN says what is wrong with a new PIN.
func checkPIN(ps *nursery.Problems, field, pin string) {
	half := len(pin) / 2
	switch {
	case !pinPattern.MatchString(pin):
		ps.Add(field, "%s", words.PINFigures)
	case isRun(pin), len(pin)%2 == 0 && pin[:half] == pin[half:], slices.Contains([]string{"2580", "0852", "1004", "1122", "1379",
		"1397"}, pin),
		len(pin) == 4 && (strings.HasPrefix(pin, "19") || strings.HasPrefix(pin, "20")):
		ps.Add(field, "%s", words.PINWeak)
	}
}

// How long the door is shut after wrong tries: from the fifth on, each time twice as
// long. House default.
const (
	mostWrong   = 5
	firstWait   = 5 * time.Minute
	longestWait = 4 * time.Hour
)

// WaitError says that the door is shut for a while, for who tries from there.
type WaitError struct{ Until time.Time }

// Error says it for the log.
func (e WaitError) Error() string {
	return words.TooManyWrongTriesShut + e.Until.Format(time.RFC3339)
}

// SignIn checks a name and password that were given from an address.
func (s *Stage) SignIn(ctx context.Context, signIn, password, address string) (nursery.Actor, error) {
	name := strings.ToLower(strings.TrimSpace(signIn))
	p, err := s.DB.Q().PersonBySignIn(ctx, name)
	if err != nil && !errors.Is(err, nursery.ErrNotFound) {
		return nursery.Actor{}, err
	}
	if utf8.RuneCountInString(name) > 60 { // nobody's: told like any other
		name = words.Upto(name, 60)
	}
	return s.checkSecret(ctx, store.Try{Kind: "password", Who: name, Address: address}, p, p.PasswordHash, password, words.WrongPassword,
		func(p *store.Person, hash string) { p.PasswordHash = &hash })
}

// SignInByPIN checks a worker's PIN on a tablet that a propagator opened. It gives a
// bench hand's rights and no more.
func (s *Stage) SignInByPIN(ctx context.Context, person int64, pin, address string) (nursery.Actor, error) {
	p, err := s.DB.Q().Person(ctx, person)
	if err != nil && !errors.Is(err, nursery.ErrNotFound) {
		return nursery.Actor{}, err
	}
	a, err := s.checkSecret(ctx, store.Try{Kind: "pin", Who: fmt.Sprint(person), Address: address}, p, p.PINHash, pin, words.WrongPIN,
		func(p *store.Person, hash string) { p.PINHash = &hash })
	return ByPIN(a), err
}

// ByPIN is somebody with the rights that a PIN gives.
func ByPIN(a nursery.Actor) nursery.Actor {
	if a.Role == nursery.Propagator {
		a.Role = nursery.BenchHand
	}
	return a
}

func (s *Stage) checkSecret(ctx context.Context, t store.Try, p store.Person, hash *string, secret, wrong string,
	renew func(*store.Person, string)) (
	nursery.Actor, error) {
	// Real time, not the nursery's: a demo day must not hold the door shut.
	now := time.Now()
	q := s.DB.Q()
	open, until, err := q.BeginTry(ctx, t, mostWrong, firstWait, longestWait, now)
	if err != nil {
		return nursery.Actor{}, err
	}
	if !open {
		return nursery.Actor{}, WaitError{until}
	}
	note := func(doing string) error {
		return s.Changed(ctx, q, nursery.Actor{ID: p.ID}, "door", p.Name, doing, nil, map[string]string{"by": t.Kind})
	}
	if p.ID == 0 || hash == nil || p.LeftOn != nil {
		secretFits(nobody, secret) // as long as it takes for somebody
		return nursery.Actor{}, nursery.Problem{Field: "secret", Says: wrong}
	}
	fits, old := secretFits(*hash, secret)
	if !fits {
		if err := note(words.TriedWrong); err != nil {
			return nursery.Actor{}, err
		}
		return nursery.Actor{}, nursery.Problem{Field: "secret", Says: wrong}
	}
	if err := note(words.ProvedThemselves); err != nil {
		return nursery.Actor{}, err
	}
	if old {
		renew(&p, hashSecret(secret))
		if err := q.UpdatePerson(ctx, p); err != nil {
			return nursery.Actor{}, err
		}
	}
	return nursery.Actor{ID: p.ID, Name: p.Name, Role: nursery.Role(p.Role)}, q.RightTry(ctx, t)
}

func fitsSecret(hash, secret string) bool {
	fits, _ := secretFits(hash, secret)
	return fits
}

// SealForTest hashes a secret at another cost, as an older build did.
func SealForTest(secret string, memory, passes uint32) string {
	return seal(secret, make([]byte, 16), memory, passes)
}

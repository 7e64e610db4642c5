package nursery_test

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/access"
	"unionknot/internal/words"
)

func waits(t *testing.T, err error) time.Duration {
	t.Helper()
	var w access.WaitError
	require.ErrorAs(t, err, &w)
	return time.Until(w.Until)
}

func TestFiveWrongTriesWait(t *testing.T) {
	h := newHouse(t)
	for range 5 {
		_, err := h.SignIn(ctx, "maud", "wrong", "10.0.0.1")
		isProblem(t, err, words.WrongPassword)
	}
	_, err := h.SignIn(ctx, "maud", "three blunt knives", "10.0.0.1")
	assert.InDelta(t, 5, waits(t, err).Minutes(), 0.2, "even the right one waits")
	a, err := h.SignIn(ctx, "maud", "three blunt knives", "10.0.0.2")
	require.NoError(t, err, "nobody shuts another out of the desk from elsewhere")
	assert.Equal(t, h.maud, a)
	// A name that nobody has is told like any other.
	for range 5 {
		_, err := h.SignIn(ctx, "nobody", "x", "10.0.0.1")
		isProblem(t, err, words.WrongPassword)
	}
	_, err = h.SignIn(ctx, "nobody", "x", "10.0.0.1")
	waits(t, err)
	// Passwords and PINs are counted apart.
	_, err = h.SignInByPIN(ctx, h.ansel.ID, "0000", "10.0.0.1")
	isProblem(t, err, words.WrongPIN)
	a, err = h.SignInByPIN(ctx, h.ansel.ID, "2468", "10.0.0.1")
	require.NoError(t, err)
	assert.Equal(t, h.ansel, a)
	require.NoError(t, h.Unlock(ctx, h.maud, h.maud.ID))
	_, err = h.SignIn(ctx, "maud", "three blunt knives", "10.0.0.1")
	require.NoError(t, err, "unlocked by a propagator")
}

func TestTheWaitGrows(t *testing.T) {
	h := newHouse(t)
	for range 5 {
		h.SignIn(ctx, "maud", "wrong", "10.0.0.1")
	}
	for _, minutes := range []float64{10, 20, 40, 80, 160, 240, 240} {
		_, err := h.db.Exec(`update door_try set wait_until = now() - interval '1 second'`)
		require.NoError(t, err)
		_, err = h.SignIn(ctx, "maud", "wrong", "10.0.0.1")
		isProblem(t, err, words.WrongPassword)
		_, err = h.SignIn(ctx, "maud", "wrong", "10.0.0.1")
		assert.InDelta(t, minutes, waits(t, err).Minutes(), 0.2)
	}
}

// TestManyTriesAtOnceAreAllCounted sends 24 at once: five are weighed.
func TestManyTriesAtOnceAreAllCounted(t *testing.T) {
	h := newHouse(t)
	var weighed, waited atomic.Int64
	var all sync.WaitGroup
	for range 24 {
		all.Go(func() {
			_, err := h.SignIn(ctx, "maud", "wrong", "10.0.0.1")
			var w access.WaitError
			switch {
			case errors.As(err, &w):
				waited.Add(1)
			case err != nil:
				weighed.Add(1)
			}
		})
	}
	all.Wait()
	assert.Equal(t, int64(5), weighed.Load())
	assert.Equal(t, int64(19), waited.Load())
}

func TestWeakSecretsAreRefused(t *testing.T) {
	h := newHouse(t)
	add := func(password, pin string) error {
		return h.AddPerson(ctx, h.maud, access.NewPerson{Name: "Bram Odell", SignIn: "bram", Role: "bench hand", Password: password,
			PIN: pin})
	}
	for _, p := range []string{"password12", "Passw0rd99", "1234567890", "aaaaaaaaaaaa", "qwertyuiop", "bramodell1", "BramOdell2027",
		"abababababab", "short"} {
		assert.Error(t, add(p, ""), p)
	}
	for _, p := range []string{"1234", "0000", "9876", "1212", "2580", "1987", "2027", "123123", "12", "abcd"} {
		assert.Error(t, add("", p), p)
	}
	require.NoError(t, add("seven wet mittens", "4071"))
}

func TestAPINGivesABenchHandsRights(t *testing.T) {
	h := newHouse(t)
	require.NoError(t, h.ChangeOwn(ctx, h.maud, "three blunt knives", access.NewSecrets{PIN: "4071"}, "", "here"))
	a, err := h.SignInByPIN(ctx, h.maud.ID, "4071", "here")
	require.NoError(t, err)
	assert.Equal(t, nursery.BenchHand, a.Role)
	by, err := h.HandedIn(ctx, h.maud.ID, h.maud.ID)
	require.NoError(t, err)
	assert.Equal(t, nursery.BenchHand, by.Role)
}

func TestEverybodyChangesTheirOwn(t *testing.T) {
	h := newHouse(t)
	isProblem(t, h.ChangeOwn(ctx, h.maud, "wrong", access.NewSecrets{Password: "seven wet mittens"}, "", "here"), words.WrongOldPassword)
	isProblem(t, h.ChangeOwn(ctx, h.maud, "three blunt knives", access.NewSecrets{}, "", "here"), words.GiveASecret)
	require.NoError(t, h.ChangeOwn(ctx, h.maud, "three blunt knives", access.NewSecrets{Password: "seven wet mittens"}, "", "here"))
	_, err := h.SignIn(ctx, "maud", "three blunt knives", "here")
	isProblem(t, err, words.WrongPassword)
	_, err = h.SignIn(ctx, "maud", "seven wet mittens", "here")
	require.NoError(t, err)
	// A hand with a PIN alone gives that.
	require.NoError(t, h.ChangeOwn(ctx, h.ansel, "2468", access.NewSecrets{PIN: "4071"}, "", "here"))
	_, err = h.SignInByPIN(ctx, h.ansel.ID, "4071", "here")
	require.NoError(t, err)
}

func TestACodeLetsSomebodyInAgainOnce(t *testing.T) {
	h := newHouse(t)
	_, _, err := h.ResetCode(ctx, h.ansel, h.maud.ID)
	assert.ErrorIs(t, err, nursery.ErrNotAllowed)
	first, _, err := h.ResetCode(ctx, h.maud, h.ansel.ID)
	require.NoError(t, err)
	code, until, err := h.ResetCode(ctx, h.maud, h.ansel.ID)
	require.NoError(t, err)
	assert.InDelta(t, 24, time.Until(until).Hours(), 0.1)
	_, err = h.UseCode(ctx, first, access.NewSecrets{PIN: "4071"})
	assert.ErrorIs(t, err, nursery.ErrNotFound, "a new one ends the old")
	_, err = h.UseCode(ctx, code, access.NewSecrets{PIN: "0000"})
	isProblem(t, err, words.PINWeak)
	a, err := h.UseCode(ctx, " "+strings.ToLower(code)+" ", access.NewSecrets{PIN: "4071", Password: "seven wet mittens"})
	require.NoError(t, err)
	assert.Equal(t, "Ansel", a.Name)
	_, err = h.UseCode(ctx, code, access.NewSecrets{PIN: "4072"})
	assert.ErrorIs(t, err, nursery.ErrNotFound, "once")
	_, err = h.SignIn(ctx, "ansel", "seven wet mittens", "here")
	require.NoError(t, err)
	late, _, err := h.ResetCode(ctx, h.maud, h.ansel.ID)
	require.NoError(t, err)
	_, err = h.db.Exec(`update door_code set until = now() - interval '1 minute'`)
	require.NoError(t, err)
	_, err = h.CodeOf(ctx, late)
	assert.ErrorIs(t, err, nursery.ErrNotFound)
	var kept string
	require.NoError(t, h.db.Get(&kept, `select string_agg(encode(hash, 'escape'), ' ') from door_code`))
	assert.NotContains(t, kept, strings.ReplaceAll(late, "-", ""), "only its hash is kept")
}

func TestRolesChangeAndTheLastPropagatorStays(t *testing.T) {
	h := newHouse(t)
	isProblem(t, h.ChangePerson(ctx, h.maud, h.maud.ID, "Maud", "looker"), words.LastPropagator)
	isProblem(t, h.ChangePerson(ctx, h.maud, h.ansel.ID, "Ansel", "propagator"), "has no password yet")
	isProblem(t, h.ChangePerson(ctx, h.maud, h.ansel.ID, "Odile", "bench hand"), "already there")
	require.NoError(t, h.ChangePerson(ctx, h.maud, h.eye.ID, "Vera Quill", "propagator"))
	a, err := h.Actor(ctx, h.eye.ID)
	require.NoError(t, err)
	assert.Equal(t, nursery.Actor{ID: h.eye.ID, Name: "Vera Quill", Role: nursery.Propagator}, a)
	require.NoError(t, h.ChangePerson(ctx, h.maud, h.maud.ID, "Maud", "looker"))
}

// TestTheConsoleIsTheLastWayIn: the only propagator has forgotten, and another has left.
func TestTheConsoleIsTheLastWayIn(t *testing.T) {
	h := newHouse(t)
	c := access.Console{Stage: h.AccessStage()}
	p, err := c.Find(ctx, " MAUD ")
	require.NoError(t, err)
	code, _, err := c.Reset(ctx, p.ID)
	require.NoError(t, err)
	_, err = h.UseCode(ctx, code, access.NewSecrets{Password: "seven wet mittens"})
	require.NoError(t, err)
	require.NoError(t, h.Leave(ctx, h.maud, h.ansel.ID, false))
	code, _, err = c.Propagator(ctx, h.ansel.ID)
	require.NoError(t, err)
	a, err := h.UseCode(ctx, code, access.NewSecrets{Password: "nine cold ladders"})
	require.NoError(t, err)
	assert.Equal(t, nursery.Propagator, a.Role)
}

// TestAnOldHashIsReadByItsOwnCostAndRenewed: what a cheaper build kept still fits.
func TestAnOldHashIsReadByItsOwnCostAndRenewed(t *testing.T) {
	h := newHouse(t)
	_, err := h.db.Exec(`update person set password_hash = $1 where id = $2`, access.SealForTest("three blunt knives", 64, 1), h.maud.ID)
	require.NoError(t, err)
	_, err = h.SignIn(ctx, "maud", "three blunt knives", "here")
	require.NoError(t, err)
	var hash string
	require.NoError(t, h.db.Get(&hash, `select password_hash from person where id = $1`, h.maud.ID))
	assert.True(t, strings.HasPrefix(hash, fmt.Sprintf("argon2id$%d$", 19*1024)), "and is kept at today's cost")
	_, err = h.SignIn(ctx, "maud", "three blunt knives", "here")
	require.NoError(t, err)
}

// TestTheDoorIsInTheRecord: who came in, who tried, who opened a tablet, who took a list
// away, and from where.
func TestTheDoorIsInTheRecord(t *testing.T) {
	h := newHouse(t)
	from := nursery.WithFrom(ctx, "10.0.0.7")
	h.SignIn(from, "maud", "wrong", "10.0.0.7")
	_, err := h.SignIn(from, "maud", "three blunt knives", "10.0.0.7")
	require.NoError(t, err)
	require.NoError(t, h.NoteTablet(from, h.maud))
	require.NoError(t, h.Export(from, h.maud, "lots", exchange.CSV, &bytes.Buffer{}))
	cs, err := h.Changes(ctx, h.maud, nursery.Sieve{}, 0)
	require.NoError(t, err)
	var did []string
	for _, c := range cs {
		if c.Address != "" {
			did = append(did, c.Doing+" by "+c.Person+" from "+c.Address)
		}
	}
	assert.Equal(t, []string{words.TookAway + " by Maud from 10.0.0.7", words.OpenedTablet + " by Maud from 10.0.0.7",
		words.ProvedThemselves + " by Maud from 10.0.0.7", words.TriedWrong + " by Maud from 10.0.0.7"}, did)
}

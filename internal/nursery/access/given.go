package access

import (
	"context"
	"strings"

	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Given is a password that was made for somebody, to be told once.
type Given struct{ Name, SignIn, Password string }

// GivePasswords makes passwords for the propagators of a house that have none, as after
// a data package was brought in.
func (s *Stage) GivePasswords(ctx context.Context) (out []Given, err error) {
	err = s.DB.Tx(ctx, func(q store.Q) error {
		out = nil
		ps, err := q.People(ctx)
		if err != nil {
			return err
		}
		for _, p := range ps {
			if nursery.Role(p.Role) != nursery.Propagator || p.LeftOn != nil || p.PasswordHash != nil {
				continue
			}
			const signs = "abcdefghjkmnpqrstvwxyz23456789"
			r := nursery.Random()
			var parts []string
			for range 4 {
				b := make([]byte, 4)
				for i := range b {
					b[i] = signs[r.IntN(len(signs))]
				}
				parts = append(parts, string(b))
			}
			g := Given{p.Name, p.SignIn, strings.Join(parts, "-")}
			hash := hashSecret(g.Password)
			p.PasswordHash = &hash
			if err := q.UpdatePerson(ctx, p); err != nil {
				return err
			}
			if err := s.Changed(ctx, q, nursery.Actor{}, "person", p.Name, words.GivenPassword, nil, nil); err != nil {
				return err
			}
			out = append(out, g)
		}
		return nil
	})
	return out, err
}

package season

import (
	"context"
	"errors"

	"unionknot/internal/core/season"
	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// SitePage is the setting of the whole site.
type SitePage struct {
	Asked   season.Site
	Set     *store.SiteWas // as it was set last; nil where it stands as it was shipped
	Effect  *nursery.Effect
	Years   []ClimateYear
	Entered int // usual dates of the house's own, which setting it puts away
}

// ClimateYear is a climate's year of apples and pears.
type ClimateYear struct {
	Site    season.Site
	Spans   []season.Span
	Normals season.Normals
}

// Site gathers the page on which the whole site is set; with try, what that would change.
func (s *Stage) Site(ctx context.Context, a nursery.Actor, asked season.Site, try bool) (p SitePage, err error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return p, err
	}
	q := s.DB.Q()
	if p.Asked = asked; !asked.Known() {
		p.Asked.Climate = season.Maritime
	}
	if set, err := q.LastSite(ctx); err == nil {
		p.Set = &set
	} else if !errors.Is(err, store.ErrNotFound) {
		return p, err
	}
	shipped, err := q.ShippedAnchors(ctx, "pome")
	if err != nil {
		return p, err
	}
	for _, c := range season.Climates {
		site := season.Site{Climate: c, South: asked.South}
		y := season.Year{Group: "pome", NoRest: !site.Rests()}
		for _, x := range shipped {
			m, d := site.Usual(x.Kind, x.Month, x.Day)
			y.Anchors = append(y.Anchors, season.Anchor{Kind: x.Kind, Month: m, Day: d, SpreadDays: x.SpreadDays})
		}
		p.Years = append(p.Years, ClimateYear{site, y.Band(s.Today().Year()), site.Normals()})
	}
	as, err := q.AllAnchors(ctx)
	for _, x := range as {
		if x.Source == working.Entered {
			p.Entered++
		}
	}
	if err != nil || !try || !asked.Known() {
		return p, err
	}
	e, err := nursery.Tried(ctx, s.Kernel, func(q store.Q) error { return setSite(ctx, q, asked) })
	p.Effect = &e
	return p, err
}

// SetSite sets every group's usual dates, the usual temperatures and whether stock rests to
// the house defaults of a climate. It can be taken back.
func (s *Stage) SetSite(ctx context.Context, a nursery.Actor, site season.Site) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	if !site.Known() {
		return nursery.Problem{Says: words.ChooseClimate}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if again, err := nursery.SentBefore(ctx, q, "site"); err != nil || again {
			return err
		}
		if err := q.KeepSite(ctx, string(site.Climate), site.South, a.ID, s.Now()); err != nil {
			return err
		}
		if err := setSite(ctx, q, site); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "season", "all", words.SetToTheHouseDefaults, nil, words.SiteIs(string(site.Climate), site.South))
	})
}

func setSite(ctx context.Context, q store.Q, site season.Site) error {
	gs, err := q.SeasonGroups(ctx)
	if err != nil {
		return err
	}
	for _, g := range gs {
		as, err := q.ShippedAnchors(ctx, g.Key)
		if err != nil {
			return err
		}
		for _, x := range as {
			x.Month, x.Day = site.Usual(x.Kind, x.Month, x.Day)
			if err := q.SetAnchor(ctx, x); err != nil {
				return err
			}
		}
		if _, err := q.SetRests(ctx, g.Key, site.Rests()); err != nil {
			return err
		}
	}
	for m, c := range site.Normals() {
		if err := q.SetNormal(ctx, store.Normal{Month: m + 1, MeanC: c, Source: working.HouseDefault}); err != nil {
			return err
		}
	}
	return nil
}

// TakeSiteBack puts the site back to what it was before it was set last.
func (s *Stage) TakeSiteBack(ctx context.Context, a nursery.Actor, id int64) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		last, err := q.LastSite(ctx)
		if errors.Is(err, store.ErrNotFound) || err == nil && last.ID != id {
			return nursery.Problem{Says: words.SiteSetSince}
		} else if err != nil {
			return err
		}
		if err := q.SiteBack(ctx, id, s.Now()); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "season", "all", "taken back", words.SiteIs(last.Climate, last.South), nil)
	})
}

package wood

import (
	"bytes"
	"context"
	"fmt"
	"image"
	_ "image/jpeg" // photos come as these two
	_ "image/png"
	"strings"

	"github.com/kovidgoyal/imaging"

	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Bounds of a photo, as it comes and as it is kept.
const (
	MaxPhoto  = 5 << 20
	maxPixels = 40_000_000
	longest   = 2400 // px a side
)

// AddPhoto keeps a picture of a mother plant: JPEG or PNG, by what it holds and not by
// what it is called. What else the file holds (where, when and with what it was taken)
// is not kept.
func (s *Stage) AddPhoto(ctx context.Context, a nursery.Actor, code, says string, body []byte) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	if len(body) > MaxPhoto {
		return nursery.Problem{Field: "photo", Says: fmt.Sprintf(words.APhotoMayHaveN, MaxPhoto>>20)}
	}
	kind, body, err := s.pictureAlone(ctx, body)
	if err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.PlantByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		if again, err := nursery.SentBefore(ctx, q, words.APhotoOf+p.Code); err != nil || again {
			return err
		}
		id, err := q.AddPhoto(ctx, store.Photo{PlantID: p.ID, Kind: kind, Says: strings.TrimSpace(says), Body: body,
			PersonID: a.ID, At: s.Now()})
		if err != nil {
			return err
		}
		if err := q.MakePlain(ctx, id, kind, body); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "plant", p.Code, "photo kept", nil, says)
	})
}

// pictureAlone reads a picture and writes it anew, upright, no side over 2,400 px.
func (s *Stage) pictureAlone(ctx context.Context, body []byte) (kind string, out []byte, err error) {
	none := nursery.Problem{Field: "photo", Says: words.NoPicture}
	c, format, err := image.DecodeConfig(bytes.NewReader(body))
	if err != nil || format != "jpeg" && format != "png" || c.Width < 1 || c.Height < 1 || c.Width > maxPixels/c.Height {
		return "", nil, none
	}
	out, err = nursery.Heavy(ctx, s.Kernel, func() (out []byte, err error) {
		defer func() { // a crafted picture may be more than its reader bears
			if recover() != nil {
				err = none
			}
		}()
		img, err := imaging.Decode(bytes.NewReader(body), imaging.AutoOrientation(true))
		if err != nil {
			return nil, none
		}
		if b := img.Bounds(); b.Dx() > longest || b.Dy() > longest {
			img = imaging.Fit(img, longest, longest, imaging.CatmullRom)
		}
		to := imaging.JPEG
		if format == "png" {
			to = imaging.PNG
		}
		var b bytes.Buffer
		if err := imaging.Encode(&b, img, to, imaging.JPEGQuality(88)); err != nil {
			return nil, err
		}
		if b.Len() > MaxPhoto { // a drawing that packs badly
			b.Reset()
			format = "jpeg"
			err = imaging.Encode(&b, img, imaging.JPEG, imaging.JPEGQuality(88))
		}
		return b.Bytes(), err
	})
	return "image/" + format, out, err
}

// PlainPhotos writes the pictures anew that are from before pictures were kept alone, and
// gives how many. One that cannot be read any more is taken for what it is.
func (s *Stage) PlainPhotos(ctx context.Context) (n int, err error) {
	ids, err := s.DB.Q().NotPlain(ctx)
	for _, id := range ids {
		p, err := s.DB.Q().Photo(ctx, id)
		if err != nil {
			return n, err
		}
		kind, body, err := s.pictureAlone(ctx, p.Body)
		if err != nil {
			if ctx.Err() != nil {
				return n, err
			}
			s.Log.WarnContext(ctx, words.APictureCannotBeRead, "photo", id, "err", err)
			continue
		}
		if err := s.DB.Tx(ctx, func(q store.Q) error { return q.MakePlain(ctx, id, kind, body) }); err != nil {
			return n, err
		}
		n++
	}
	return n, err
}

// Photo gives a picture.
func (s *Stage) Photo(ctx context.Context, id int64) (store.Photo, error) {
	return s.DB.Q().Photo(ctx, id)
}

// DropPhoto takes a picture out.
func (s *Stage) DropPhoto(ctx context.Context, a nursery.Actor, code string, id int64) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.PlantByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		if err := q.DropPhoto(ctx, p.ID, id); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "plant", p.Code, words.PhotoTakenOut, id, nil)
	})
}

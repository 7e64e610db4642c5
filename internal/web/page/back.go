package page

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"time"
)

// backFor is how long what was done by one tap is offered to be taken back.
const backFor = time.Minute

// TakeBack is something that was done by one tap, and the form that takes it back.
type TakeBack struct {
	Says   string
	Path   string
	Fields [][2]string
	Until  time.Time
}

// Left is for how many seconds more it is offered.
func (b *TakeBack) Left() int { return int(time.Until(b.Until).Seconds()) + 1 }

// FlashBack keeps a line to show on the page that comes next, with a button that takes back
// what it is about. The button stays for a minute, on whichever page. path is where the form
// goes that takes it back, and pairs are its fields.
func (k *Kit) FlashBack(r *http.Request, says, path string, pairs ...string) {
	k.Flash(r, "%s", says)
	b := TakeBack{Says: says, Path: path, Until: time.Now().Add(backFor)}
	for i := 0; i+1 < len(pairs); i += 2 {
		b.Fields = append(b.Fields, [2]string{pairs[i], pairs[i+1]})
	}
	kept, err := json.Marshal(b)
	if err != nil {
		panic(fmt.Sprintf("keeping what can be taken back: %v", err)) // strings and a time always marshal
	}
	k.Sessions.Put(r.Context(), "back", string(kept))
}

// back gives what can still be taken back, or nil.
func (k *Kit) back(ctx context.Context) *TakeBack {
	kept := k.Sessions.GetString(ctx, "back")
	if kept == "" {
		return nil
	}
	b := &TakeBack{}
	if json.Unmarshal([]byte(kept), b) != nil || time.Now().After(b.Until) {
		k.Sessions.Remove(ctx, "back")
		return nil
	}
	return b
}

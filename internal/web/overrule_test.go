package web_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"unionknot/internal/testhouse"
)

// TestATechniqueIsUsedAgainstTheSeason ticks what the season shuts, is asked
// why, and finds the reason on the batch's threads.
func TestATechniqueIsUsedAgainstTheSeason(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/match/O-52")
	b.sees("use it all the same")
	const shut = "side-veneer"
	b.click(`input[name="against"][value="` + shut + `"]`)
	b.is(`!document.querySelector('.htmx-request') && document.body.innerText.includes('against the season')`)
	for range 12 { // leave only what is shut
		if !value[bool](b, `!!document.querySelector('input[name="way"]:checked')`) {
			break
		}
		key := value[string](b, `document.querySelector('input[name="way"]:checked').value`)
		b.click(`input[name="way"][value="` + key + `"]`)
		b.is(`!document.querySelector('.htmx-request') && !document.querySelector('input[name="way"][value="` + key + `"]:checked')`)
	}
	b.sees("Why against the season")
	b.axe("weave against the season")
	b.press("Make the batch")
	b.sees("Say in a few words why")
	b.set("#why", "bark was tried: it slips under glass")
	b.press("Make the batch")
	b.at("/bench/batches/")
	assert.Equal(
		t,
		"bark was tried: it slips under glass",
		h.one(t, `select distinct against from batch_thread where technique = '`+shut+`'`),
	)
	b.clean()
}

// TestADoubtfulReadingIsSettledByAClick keys two readings that no thermometer
// gives, strikes one and keeps the other.
func TestADoubtfulReadingIsSettledByAClick(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	doubted := func() string {
		return h.one(
			t,
			`select count(*)::text || ' of ' || (select count(*) from store_reading where c in (71, 72)) from store_reading where doubted
				and c in (71, 72)`,
		)
	}
	for _, c := range []string{"71", "72"} {
		b.goTo("/wood/store")
		b.set("#c-0", c)
		b.click(`form[action="/wood/store/read"] button`)
		b.sees(c + ".0 °C")
	}
	assert.Equal(t, "2 of 2", doubted())
	b.axe("a doubtful reading")
	b.press("Strike it")
	b.is(`document.querySelectorAll('main form[action="/wood/store/doubt"]').length === 1`)
	assert.Equal(t, "1 of 1", doubted())
	b.press("It is right")
	b.is(`document.querySelectorAll('main form[action="/wood/store/doubt"]').length === 0`)
	assert.Equal(t, "0 of 1", doubted())
	b.clean()
}

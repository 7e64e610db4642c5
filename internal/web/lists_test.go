package web_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/testhouse"
)

// TestAListIsLookedAtKeptAndTakenAlong: found in, sorted, its columns chosen, kept as a view,
// by clicks; the file is what is shown.
func TestAListIsLookedAtKeptAndTakenAlong(t *testing.T) {
	t.Parallel()
	h := open(t, testhouse.Demo(t))
	b := h.browser(t, 1280, 800)
	b.signIn("maud")
	b.goTo("/stock")
	b.eval(`document.querySelector('#sort').value = 'free'; document.querySelector('#sort').form.requestSubmit()`)
	b.is(`location.search.includes('sort=free')`)
	b.is(`(() => { const n = [...document.querySelectorAll('main table tbody tr')].map(r => Number(r.children[5].innerText.replace(/\D/g,
		'')));
		return n.length > 3 && n.every((x, i) => i === 0 || x <= n[i - 1]) })()`)
	b.axe("stock, sorted")
	b.press("Keep this view")
	b.fill("#view-name", "most free")
	b.press("Keep it")
	b.sees("The view is kept")
	b.goTo("/stock")
	b.press("most free")
	b.is(`location.search.includes('sort=free')`)
	b.eval(`document.querySelector('[aria-label="Let go of the view most free"]').click()`)
	b.sees("The view is let go")
	b.press("Take back")
	b.sees("The view is kept")
	assert.Equal(t, "1", h.one(t, `select count(*)::text from saved_view`))

	b.goTo("/lists/tags")
	b.axe("a list")
	b.fill("#find-in", "lanternjaw ansel")
	b.press("Columns")
	b.eval(`for (const c of document.querySelectorAll('[name=col]')) c.checked = ['tag', 'worker', 'tied', 'variety'].includes(c.value)`)
	b.press("Show")
	b.is(`location.search.includes('find=lanternjaw')`)
	b.is(`document.querySelectorAll('.listtable thead th').length === 4`)
	b.press("Tied")
	b.is(`document.querySelector('[aria-sort=ascending]').innerText.startsWith('Tied')`)
	b.press("Tied")
	b.is(`document.querySelector('[aria-sort=descending]').innerText.startsWith('Tied')`)
	b.is(`[...document.querySelectorAll('.listtable tbody tr')].every(r => r.innerText.includes('Lanternjaw') &&
		r.innerText.includes('Ansel'))`)
	sum := h.one(t, `select sum(t.tied)::text from tag t join person p on p.id = t.worker_id join batch b on b.id = t.batch_id
		join orders o on o.id = b.order_id join variety v on v.id = o.variety_id where p.name like 'Ansel%' and v.name = 'Lanternjaw'`)
	b.is(`document.querySelector('.listtable tfoot').innerText.replace(/,/g, '').includes(` + quoted(sum) + `)`)
	href := value[string](b, `[...document.querySelectorAll('a')].find(a => a.innerText.includes('CSV')).getAttribute('href')`)
	maud := h.as(t, "maud")
	status, _, body := h.ask(t, maud, "GET", href)
	require.Equal(t, 200, status)
	assert.Contains(t, body, `"tag","variety","worker","tied"`)
	assert.NotContains(t, body, "Odile")
	b.clean()
}

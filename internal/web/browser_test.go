package web_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"unionknot/internal/demo"
	"unionknot/internal/nursery/stages"
	"unionknot/internal/store"
	"unionknot/internal/testhouse"
	"unionknot/internal/web"
)

// house is a running server on a database of its own.
type house struct {
	*httptest.Server
	nursery *stages.Set
	db      *store.DB
	site    *web.Server
}

func open(t testing.TB, db *store.DB) *house {
	t.Helper()
	n, err := stages.New(context.Background(), db, testhouse.Quiet)
	require.NoError(t, err)
	site, err := web.New(n, db.DB.DB, testhouse.Quiet, web.Options{SignInsAMinute: 10_000})
	require.NoError(t, err)
	h := &house{httptest.NewServer(site), n, db, site}
	t.Cleanup(func() { h.Server.Close(); site.Close() })
	return h
}

var (
	chrome     context.Context
	chromeOnce sync.Once
	chromeStop = func() {}
)

func TestMain(m *testing.M) {
	code := m.Run()
	chromeStop()
	os.Exit(code)
}

// browser is one window with its own cookies and store, watched for errors.
type browser struct {
	t      testing.TB
	ctx    context.Context
	h      *house
	mu     sync.Mutex
	errors []string
	// keyboard works every field and button by keys alone.
	keyboard bool
	// expectErrors lets a test break the line on purpose.
	expectErrors bool
}

func (h *house) browser(t testing.TB, width, height int64) *browser {
	t.Helper()
	chromeOnce.Do(func() {
		opts := append(
			chromedp.DefaultExecAllocatorOptions[:],
			chromedp.NoSandbox,
			chromedp.DisableGPU,
			chromedp.Flag(
				"disable-quic",
				true,
			),
			chromedp.Flag("disable-component-update", true),
			chromedp.Flag("disable-background-networking", true),
			chromedp.Flag("font-render-hinting", "none"),
			chromedp.Flag("force-color-profile", "srgb"),
		)
		alloc, stop := chromedp.NewExecAllocator(context.Background(), opts...)
		var stopTab func()
		chrome, stopTab = chromedp.NewContext(alloc)
		chromeStop = func() { stopTab(); stop() }
		if err := chromedp.Do(chrome); err != nil {
			panic(fmt.Sprintf("Chromium would not start: %v", err))
		}
	})
	ctx, cancel := chromedp.NewContext(chrome, chromedp.WithNewBrowserContext())
	t.Cleanup(cancel)
	b := &browser{t: t, ctx: ctx, h: h}
	require.NoError(t, chromedp.Listen(ctx, func(ev any) {
		b.mu.Lock()
		defer b.mu.Unlock()
		switch e := ev.(type) {
		case *runtime.EventExceptionThrown:
			b.errors = append(b.errors, e.ExceptionDetails.Text+" "+e.ExceptionDetails.Exception.Description)
		case *runtime.EventConsoleAPICalled:
			if e.Type == runtime.ConsoleAPICalledTypeError {
				s := "console.error:"
				for _, a := range e.Args {
					s += " " + string(a.Value) + a.Description
				}
				b.errors = append(b.errors, s)
			}
		}
	}))
	var opts []chromedp.EmulateViewportOption
	if width < 500 {
		opts = append(opts, chromedp.EmulateMobile, chromedp.EmulateTouch)
	}
	b.do(chromedp.EmulateViewport(width, height, opts...))
	return b
}

// patience is how long a window waits for anything.
const patience = 30 * time.Second

func (b *browser) do(actions ...chromedp.Action[chromedp.Void]) {
	b.t.Helper()
	ctx, stop := context.WithTimeout(b.ctx, patience)
	defer stop()
	if err := chromedp.Do(ctx, actions...); err != nil {
		require.NoError(b.t, err, "%s", b.whole())
	}
}

// whole is what the window shows, for a test that failed.
func (b *browser) whole() string {
	ctx, stop := context.WithTimeout(b.ctx, 3*time.Second)
	defer stop()
	s, _ := chromedp.Run(ctx, chromedp.Evaluate[string](`location.pathname + "\n" + document.body.innerText.slice(0, 1500)`))
	return s
}

// eval runs a script for its effect.
func (b *browser) eval(js string) {
	b.t.Helper()
	value[bool](b, "(() => {"+js+"; return true})()")
}

// value gives what a script's expression comes to on a page that is all there; a
// promise is awaited.
func value[T any](b *browser, js string) T {
	b.t.Helper()
	b.is(`true`)
	ctx, stop := context.WithTimeout(b.ctx, patience)
	defer stop()
	v, err := chromedp.Run(ctx, chromedp.Evaluate[T](js, chromedp.EvalAwaitPromise))
	require.NoError(b.t, err, "%s", js)
	return v
}

func (b *browser) goTo(path string) {
	b.t.Helper()
	b.do(chromedp.Navigate(b.h.URL + path))
}

// is waits until a page is all there and a script's expression is true of it.
func (b *browser) is(expr string) {
	b.t.Helper()
	for end := time.Now().Add(patience); ; {
		ctx, stop := context.WithTimeout(b.ctx, patience)
		ok, err := chromedp.Run(ctx, chromedp.Evaluate[bool](`document.readyState === 'complete' && !!(`+expr+`)`))
		stop()
		if err == nil && ok {
			return
		}
		if time.Now().After(end) {
			require.Failf(b.t, "never true", "%s\n%v\n%s", expr, err, b.whole())
		}
		time.Sleep(20 * time.Millisecond) // between two looks, not instead of one
	}
}

// sees waits until the page's words hold s.
func (b *browser) sees(s string) {
	b.t.Helper()
	b.is(`document.body && document.body.innerText.includes(` + quoted(s) + `)`)
}

func quoted(s string) string {
	js, _ := json.Marshal(s)
	return string(js)
}

func (b *browser) at(path string) {
	b.t.Helper()
	b.is(`location.pathname.startsWith(` + quoted(path) + `)`)
}

// text waits for what sel finds, and gives its words.
func (b *browser) text(sel string) string {
	b.t.Helper()
	b.is(`document.querySelector(` + quoted(sel) + `)`)
	return strings.TrimSpace(value[string](b, `document.querySelector(`+quoted(sel)+`).innerText`))
}

func (b *browser) fill(sel, text string) {
	b.t.Helper()
	if b.keyboard {
		b.tabTo(`document.activeElement.matches(` + quoted(sel) + `)`)
		b.key(kb.End)
		for range len(value[string](b, `document.activeElement.value`)) {
			b.key(kb.Backspace)
		}
		b.key(text)
		return
	}
	b.is(`document.querySelector(` + quoted(sel) + `)`)
	b.eval(`const e = document.querySelector(` + quoted(sel) + `); e.scrollIntoView({block: 'center'}); e.focus(); e.select()`)
	b.key(kb.Delete + text)
}

// tabTo moves from field to field until the one wanted is reached.
func (b *browser) tabTo(reached string) {
	b.t.Helper()
	for range 500 {
		if value[bool](b, `!!(document.activeElement && `+reached+`)`) {
			return
		}
		b.key(kb.Tab)
	}
	require.Failf(b.t, "never reached with Tab", "%s\n%s", reached, b.whole())
}

// day fills a date field.
func (b *browser) day(sel string, d time.Time) {
	b.t.Helper()
	if b.keyboard { // as Chromium takes it in American English
		b.tabTo(`document.activeElement.matches(` + quoted(sel) + `)`)
		b.key(d.Format("01022006"))
		return
	}
	b.set(sel, d.Format(time.DateOnly))
}

// tick sets a check box.
func (b *browser) tick(label string) {
	b.t.Helper()
	if b.keyboard {
		b.tabTo(
			`document.activeElement.closest('label') && document.activeElement.closest('label').innerText.includes(` + quoted(label) + `)`,
		)
		b.key(" ")
		return
	}
	find := `[...document.querySelectorAll('label')].find(l => l.innerText.includes(` + quoted(label) + `))`
	b.is(find)
	b.eval(find + `.click()`)
}

// set puts a value into a field without typing.
func (b *browser) set(sel, text string) {
	b.t.Helper()
	b.is(`document.querySelector(` + quoted(sel) + `)`)
	b.eval(
		`const e = document.querySelector(` + quoted(
			sel,
		) + `); e.value = ` + quoted(
			text,
		) + `; e.dispatchEvent(new Event('input', {bubbles: true})); e.dispatchEvent(new Event('change', {bubbles: true}))`,
	)
}

func (b *browser) click(sel string) {
	b.t.Helper()
	b.do(chromedp.Click(chromedp.CSS(sel), chromedp.NodeVisible))
}

// key presses keys with the window as it is.
func (b *browser) key(keys string) {
	b.t.Helper()
	b.do(chromedp.KeyEvent(keys))
}

// press clicks the first visible button or link that says s.
func (b *browser) press(s string) {
	b.t.Helper()
	// What says just that comes before what begins so.
	find := `[...document.querySelectorAll('button, a, summary')]
		.filter(e => (e instanceof SVGElement ? e.textContent : e.innerText).trim().startsWith(` + quoted(
		s,
	) + `) && (e.offsetParent || e instanceof SVGElement) && !e.disabled)` +
		`.sort((a, b) => ((b instanceof SVGElement ? b.textContent : b.innerText).trim() === ` + quoted(
		s,
	) + `) - ((a instanceof SVGElement ? a.textContent : a.innerText).trim() === ` + quoted(
		s,
	) + `))[0]`
	b.is(find)
	if b.keyboard {
		b.tabTo(`document.activeElement === ` + find)
		b.key(kb.Enter)
		return
	}
	b.eval(`const e = ` + find + `; if (e.click) e.click(); else e.dispatchEvent(new MouseEvent('click', {bubbles: true,
		cancelable: true}))`)
}

func (b *browser) signIn(name string) {
	b.t.Helper()
	b.goTo("/sign-in")
	b.fill("#f-sign_in", name)
	b.fill("#f-password", demo.Password)
	b.press("Sign in")
	b.at("/today")
}

// clean says that the page raised no error.
func (b *browser) clean() {
	b.t.Helper()
	b.mu.Lock()
	defer b.mu.Unlock()
	if !b.expectErrors {
		require.Empty(b.t, b.errors)
	}
}

// axe looks for what shuts people out, and fails on what is serious.
func (b *browser) axe(where string) {
	b.t.Helper()
	src, err := os.ReadFile("testdata/axe.min.js")
	require.NoError(b.t, err)
	type finding struct {
		ID, Impact, Help string
		Nodes            []struct {
			Target []any
			HTML   string
		}
	}
	b.eval(string(src))
	found := value[[]finding](
		b,
		`axe.run(document, {resultTypes: ['violations']}).then(r => r.violations.filter(v => v.impact === 'serious' ||
			v.impact === 'critical').map(v => ({ID: v.id, Impact: v.impact, Help: v.help, Nodes: v.nodes.slice(0, 3)
			.map(n => ({Target: n.target, HTML: n.html.slice(0, 160)}))})))`,
	)
	for _, f := range found {
		b.t.Errorf("%s: %s (%s): %s: %+v", where, f.ID, f.Impact, f.Help, f.Nodes)
	}
}

// shot keeps a picture of the window.
func (b *browser) shot(dir, name string) {
	b.t.Helper()
	value[int](b, `document.fonts.ready.then(() => 1)`)
	png, err := chromedp.Run(b.ctx, chromedp.CaptureScreenshot())
	require.NoError(b.t, err)
	require.NoError(b.t, os.MkdirAll(dir, 0o755))
	require.NoError(b.t, os.WriteFile(filepath.Join(dir, name+".png"), png, 0o644))
}

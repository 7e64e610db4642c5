package page

import (
	"encoding/json"
	"fmt"
	"html/template"
	"math"
	"net/url"
	"strconv"
	"strings"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/learning"
	"unionknot/internal/core/pollen"
	"unionknot/internal/core/tally"

	"unionknot/internal/core/season"
	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/correct"
	"unionknot/internal/nursery/learners"
	"unionknot/internal/nursery/match"
	"unionknot/internal/nursery/orders"
	seasonstage "unionknot/internal/nursery/season"
	"unionknot/internal/outlook"
	"unionknot/internal/web/draw"
	"unionknot/internal/words"
)

// OwnForm is the form by which a house adds something of its own to the craft's tables.
type OwnForm struct {
	Kind, What string
	Like       []correct.Choice // what it can be made as
	Form       Form
}

// DueForm is a step that is due on a bed, to note as done or to dismiss.
type DueForm struct {
	Place string
	outlook.BedStep
	Can, Boss bool
	Today     aftercare.Day
	At        string // the page it goes back to
}

// ToolForm is tools to be counted out or in.
type ToolForm struct {
	Tools   []learners.Tool
	Typed   []string
	Way     string // out, in
	Problem string
}

var funcs = template.FuncMap{
	"date":       func(t time.Time) string { return t.Format("2 Jan 2006") },
	"iso":        func(t time.Time) string { return t.Format(time.DateOnly) },
	"stamp":      func(t time.Time) string { return t.UTC().Format(time.RFC3339Nano) },
	"clock":      func(t time.Time) string { return t.Local().Format("15:04") },
	"when":       func(t time.Time) string { return t.Local().Format("2 Jan 15:04") },
	"day":        func(t time.Time) string { return t.Format("2 January") },
	"shortday":   func(t time.Time) string { return t.Format("2 Jan") },
	"weekend":    func(t time.Time) bool { return t.Weekday() == time.Saturday || t.Weekday() == time.Sunday },
	"firstname":  words.FirstName,
	"apart":      words.Apart,
	"in":         words.In,
	"inhundred":  words.InHundred,
	"metof":      words.MetOf,
	"treekind":   words.TreeKind,
	"limbdid":    words.LimbDid,
	"limbtree":   func(lot string) string { return lot[:max(0, strings.LastIndex(lot, "-"))] },
	"classstate": func(c learners.Class) string { return words.ClassState(learners.StateOf(c)) },
	"classcode":  words.ClassCode,
	"checksays":  words.CheckSays,
	"nameskept":  func() int { return int(learners.NamesKept.Hours() / 24) },
	"toolform": func(ts []learners.Tool, f Form, way string) ToolForm {
		t := ToolForm{Tools: ts, Way: way, Problem: f.Problems["tools"]}
		for i, x := range ts {
			typed := ""
			if way == "out" {
				typed = strconv.Itoa(x.Out)
			}
			if n := f.Values["n"]; i < len(n) {
				typed = n[i]
			}
			t.Typed = append(t.Typed, typed)
		}
		return t
	},
	"practicewood": words.PracticeWood,
	"classworking": func(p learners.Page) working.Working {
		return words.ClassWorking(p.FirstRight, p.Tries, p.Right.Mean, p.Right.Low, p.Right.High)
	},
	"looktold": func(s learning.Says) string { return words.LookTold(string(s)) },
	"byluck":   words.ByLuck,
	"triessay": func(c learning.Course) string {
		n := 0
		for _, ok := range c.First {
			if ok {
				n++
			}
		}
		return words.TriesSay(n, len(c.First))
	},
	"eqid":      func(a *int64, b int64) bool { return a != nil && *a == b },
	"least":     func(a, b int) int { return min(a, b) },
	"mm2":       func(x float64) string { return strconv.FormatFloat(x, 'f', 2, 64) },
	"leastdays": func() int { return pollen.LeastDays },
	"limbmm": func(mm *float64) string {
		if mm == nil {
			return ""
		}
		return strconv.FormatFloat(math.Round(*mm*10)/10, 'f', -1, 64)
	},
	"intor": func(n *int) string {
		if n == nil {
			return ""
		}
		return strconv.Itoa(*n)
	},
	"limbcm": func(n *int) string {
		if n == nil {
			return ""
		}
		return strconv.Itoa(*n)
	},
	"moneyor":  words.MoneyOr,
	"ago":      words.Ago,
	"hoursbar": draw.HoursBar,
	// short is a name's first letters, for narrow places.
	"weekhours": func(week [8][3]float64, weekday int, half string) string {
		x := week[weekday+1][1]
		if half == "2" {
			x = week[weekday+1][2]
		}
		if x == 0 {
			return ""
		}
		return strconv.FormatFloat(x, 'f', -1, 64)
	},
	// reads says whether somebody may read all that is planned and kept, not their own work alone.
	"reads": func(a nursery.Actor) bool { return Allowed(a.Role, Readers) },
	// ofhouse says whether an address is one of the settings, which propagators alone open.
	"ofhouse":   func(path string) bool { return strings.HasPrefix(path, "/house") },
	"callusbar": draw.Callus,
	"knot":      words.KnotSays,
	"window":    words.WindowSays,
	"hangs":     words.HangsSay,
	"moves":     words.MoveSays,
	"loses":     words.LosesSays,
	"isday":     func(d aftercare.Day) string { return d.Date().Format("2 Jan 2006") },
	"expects":   func(share float64, trees int) string { return fmt.Sprintf("%.1f", share*float64(trees)) },
	"doit": func(code string, k aftercare.Knot, f Form, boss bool) DoIt {
		d := DoIt{Code: code, Knot: k, Look: aftercare.LookOf(k.Name), Sell: k.Name == aftercare.FitToSell, Boss: boss}
		if f.Values.Get("knot") == k.Name.String() && f.Values.Get("item") == fmt.Sprintf("%s:%d", code, k.N) {
			d.Ask = f.Problems["reason"] != "" && f.Values.Get("kind") == "done"
			d.Place, d.On, d.Reason = f.Values.Get("place"), f.Values.Get("on"), f.Values.Get("reason")
		}
		return d
	},
	"dueform": func(place string, s outlook.BedStep, can, boss bool, day aftercare.Day, at string) DueForm {
		return DueForm{place, s, can, boss, day, at}
	},
	"stepid": func(k aftercare.Knot) aftercare.Step { return aftercare.Step{Name: k.Name, N: k.N} },
	"moved":  words.Moved,
	"ownform": func(kind, what string, like map[string][]correct.Choice, f Form) OwnForm {
		return OwnForm{kind, what, like[kind], f}
	},
	"pilesort":   words.PileSort,
	"cell":       words.Cell,
	"recallkind": words.RecallKind,
	"movesby":    words.Moves,
	"suresays":   words.SureSays,
	"flowfrom":   words.FlowFrom,
	"causeor":    words.CauseOr,
	"cents":      words.Cents,
	"perhour":    func(n, hours float64) string { return fmt.Sprintf("%.0f", n/hours) },
	"siteis":     words.SiteIs,
	"firststep":  words.FirstStep,
	"wasis":      words.WasIs,
	"datesmove":  words.DatesMove,
	"lacks":      words.Lacks,
	"stands":     words.OrderStands,
	"fieldname":  words.FieldName,
	"listname":   words.ListName,
	"recorded":   words.Record,
	"pathpart":   func(s string) template.URL { return template.URL(url.PathEscape(s)) },
	"ordersort":  func(s orders.Sort) string { return words.SortName(string(s)) },
	"standsnow":  words.StandsNow,
	"standing":   words.Standing,
	"bound":      words.Bound,
	"shortfall":  words.OrderShort,
	"leftover":   words.LeftOver,
	"notjoined":  words.NotJoined,
	"notheld":    words.NotHeld,
	"capital":    words.Capital,
	"monthname":  func(m int) string { return time.Month(m).String()[:3] },
	"daysoff":    seasonstage.DaysOff,
	"threadtext": match.ThreadText,
	"barsays": func(b outlook.Bar) string {
		if !b.From.IsZero() {
			return "from " + season.Say(b.From)
		}
		switch b.Kind {
		case outlook.KindWorkers:
			return words.HaveHours(b.Have, b.Want)
		case outlook.KindWindow:
			if b.Have == 0 {
				return "shut"
			}
			return fmt.Sprintf("%.0f days left", b.Have)
		}
		return words.Have(b.Have, b.Want)
	},
	"meansbar":  draw.Means,
	"balance":   draw.Balance,
	"cutshort":  words.CutShort,
	"oval":      words.Oval,
	"turn":      words.Turn,
	"taper10":   func(perCM float64) float64 { return 10 * perCM },
	"again":     words.SecondChance,
	"againwood": words.SecondChanceWood,
	"againin":   words.SecondChanceIn,
	"storyof":   words.LotEvent,
	"refused":   func(code *string) string { return words.Refused(tally.Refusal(*code)) },
	"deref":     func(s *string) string { return *s },
	"better":    words.KeepBetter,
	"agent":     words.Agent,
	"oldsecret": func(passwordHash *string) string {
		if passwordHash == nil {
			return "PIN as it is now"
		}
		return "Password as it is now"
	},
	"mega": func(bytes int64) string { return fmt.Sprintf("%.1f MB", float64(bytes)/1e6) },
	"otherzone": func(house string) string {
		if runs := time.Local.String(); house != "" && runs != house && runs != "Local" {
			return words.OtherZone(runs, house)
		}
		return ""
	},
	"callused": words.Callused,
	"follow":   words.FollowSays,
	"ready":    words.MakeReady,
	"gates":    words.Gates,
	"healrows": func(ls []outlook.HealLine, can bool, chosen map[string]bool) HealRows {
		return HealRows{ls, can, chosen}
	},
	"parts":  words.BalanceParts,
	"expect": words.Expect,
	"letin": func(o outlook.Out, f Form, boss bool, action string) LetIn {
		return LetIn{o, f.Values.Get("let_why"), f.Problems["let_why"], action, boss}
	},
	"money":     words.Money,
	"moneyf":    func(c float64) string { return words.Money(int(c + 0.5)) },
	"verdict":   draw.Verdict,
	"long":      func(t time.Time) string { return t.Format("Mon 2 January") },
	"thousands": words.Thousands,
	"pct":       words.Pct,
	"pc":        func(x float64) float64 { return x * 100 },
	"pctrange":  words.PctRange,
	"f0":        func(x float64) string { return strconv.FormatFloat(x, 'f', 0, 64) },
	"f1":        func(x float64) string { return strconv.FormatFloat(x, 'f', 1, 64) },
	"mm":        MM,
	"sub":       func(a, b int) int { return a - b },
	"add":       func(a, b int) int { return a + b },
	"share":     func(a, b int) float64 { return float64(a) / float64(max(1, b)) },
	"lower":     strings.ToLower,
	"list":      func(s ...string) []string { return s },
	"has": func(list []string, s string) bool {
		for _, x := range list {
			if x == s {
				return true
			}
		}
		return false
	},
	"field": func(f Form, name, label, kind, hint string) Field {
		return Field{
			ID:      f.Prefix + name,
			Name:    name,
			Label:   label,
			Type:    kind,
			Value:   f.Values.Get(name),
			Problem: f.Problems[name],
			Hint:    hint,
		}
	},
	"choice": func(f Form, name, label, hint string, options []string) Field {
		return Field{
			ID:      f.Prefix + name,
			Name:    name,
			Label:   label,
			Type:    "select",
			Value:   f.Values.Get(name),
			Problem: f.Problems[name],
			Hint:    hint,
			Options: options,
		}
	},
	// sheet is a form among several on a page: only the one that was sent shows
	// what was typed and what was wrong.
	"sheet": func(f Form, prefix string, sent, any bool) Form {
		f.Prefix = prefix
		if any && !sent {
			f.Values, f.Problems = url.Values{}, nil
		}
		return f
	},
	// cutform is a form that is filled in already: what was sent stands, where
	// this one was sent. Names and values come in pairs.
	"cutform": func(f Form, sent bool, prefix string, pairs ...string) Form {
		f.Prefix = prefix + "-"
		if !sent {
			f.Values, f.Problems = url.Values{}, nil
			for i := 0; i+1 < len(pairs); i += 2 {
				f.Values.Set(pairs[i], pairs[i+1])
			}
		}
		return f
	},
	"needed": func(f Field) Field { f.Required = true; return f },
	"listed": func(f Field, id string) Field { f.List = id; return f },
	"figure": func(text string, w working.Working) Figure { return Figure{text, w} },
	"thinner": func(low, high float64) string {
		a, b := max(0, 100*(1-high)), max(0, 100*(1-low))
		if b-a < 1 {
			return fmt.Sprintf("%.0f %%", b)
		}
		return fmt.Sprintf("%.0f–%.0f %%", a, b)
	},
	"mid":  func(a, b float64) float64 { return (a + b) / 2 },
	"barw": func(n, most int) int { return 100 * n / max(1, most) },
	"json": func(v any) (string, error) {
		b, err := json.Marshal(v)
		return string(b), err
	},
	"uuid":     UUID,
	"band":     func(b seasonstage.Band) template.HTML { return draw.Band(b, "") },
	"qr":       draw.QR,
	"tagshape": draw.TagShape,
	"plural":   func(n int, one, many string) string { return words.Counted("", n, one, many) },
	"told":     func(english string) string { return english },
	"tongues":  func() []words.Tongue { return words.Tongues },
}

// Figure is a computed figure that opens its working.
type Figure struct {
	Text    string
	Working working.Working
}

// MM writes a diameter.
func MM(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }

// LetIn is a lot or a bundle that what was seen of it keeps out, with the form to
// let it in.
type LetIn struct {
	Out                    outlook.Out
	Value, Problem, Action string
	Boss                   bool
}

// HealRows are tags that heal, as a table that they can be ticked in.
type HealRows struct {
	Lines  []outlook.HealLine
	Can    bool
	Chosen map[string]bool
}

// DoIt is a step of a tag with a button that does it.
type DoIt struct {
	Code string
	Knot aftercare.Knot
	Look string
	Sell bool
	Ask  bool // it was asked why it is done before its time
	Boss bool
	// What was typed of it when it was refused.
	Place, On, Reason string
}

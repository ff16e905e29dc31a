// Command paint measures, in Chromium, how long the student's year takes from a key press or a movement to
// the painted result: searching, pointing at a course, adding one, and ranking; on the demo school and on one
// of 1,000 courses. The time the server takes for a change is taken off and given apart.
package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http/httptest"
	"os"
	"slices"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"

	"rubricon/app"
	appcatalog "rubricon/app/catalog"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/bench/stage"
	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/e2e/browser"
	"rubricon/web"
)

func main() {
	if err := run(context.Background()); err != nil {
		fmt.Fprintf(os.Stderr, "paint: %v\n", err)
		var thrown *rod.EvalError
		if errors.As(err, &thrown) {
			fmt.Fprintln(os.Stderr, thrown.Exception.Description)
		}
		os.Exit(1)
	}
}

func run(ctx context.Context) error {
	slog.SetDefault(slog.New(slog.DiscardHandler))
	files := demo.Bundle(demo.Options{Students: 60, Seed: 7})
	for _, courses := range []int{0, 1000} {
		if err := measure(ctx, grown(files, courses), look); err != nil {
			return err
		}
	}
	return measure(ctx, demo.Bundle(demo.Options{Students: 1200, Seed: 7, Schedule: demo.Planted}), follow)
}

// grown is a school with copies of its free courses, until it has as many courses.
func grown(files []bundle.File, courses int) []bundle.File {
	out := slices.Clone(files)
	for i := range out {
		f := &out[i]
		if f.Name != "courses.csv" {
			continue
		}
		at := func(name string) int { return slices.Index(f.Header, name) }
		id, code, title := at("sourcedId"), at("courseCode"), at("title")
		rows := slices.Clone(f.Rows)
		for n := 0; len(rows) < courses; n++ {
			row := slices.Clone(f.Rows[n%len(f.Rows)])
			plain := true
			for _, column := range []string{"metadata.links", "metadata.excludes", "metadata.variantOf", "metadata.round"} {
				plain = plain && (at(column) < 0 || row[at(column)] == "")
			}
			if !plain {
				continue
			}
			row[id] += fmt.Sprintf("-%d", n)
			row[code] += fmt.Sprintf("-%d", n)
			row[title] += fmt.Sprintf(" %d", n)
			rows = append(rows, row)
		}
		f.Rows = rows
	}
	return out
}

// measure serves a school and looks at it in a browser.
func measure(ctx context.Context, files []bundle.File, look func(*rod.Page, *app.App, string, int)) error {
	at, err := stage.New(ctx, "paint")
	if err != nil {
		return err
	}
	defer at.Close()
	cases := app.New(at.DB, app.Options{FirstPasswordsStay: true})
	b, err := bundle.ReadFiles(files)
	if err != nil {
		return err
	}
	if _, err := cases.Imports.Import(ctx, b, 0); err != nil {
		return err
	}
	now := time.Now()
	if err := cases.Catalog.SetWindow(ctx, demo.SchoolID, 2027,
		appcatalog.Window{Grade: -1, Opens: now.AddDate(0, 0, -7), Families: now.AddDate(0, 0, 10),
			Counselors: now.AddDate(0, 1, 0)}); err != nil {
		return err
	}
	server := httptest.NewServer(web.New(cases, web.Options{}))
	defer server.Close()
	chromium, stop, err := browser.Start()
	if err != nil {
		return err
	}
	defer stop()
	page, err := browser.Page(chromium, 1280, 800)
	if err != nil {
		return err
	}
	defer func() { _ = page.Browser().Close() }()
	return rod.Try(func() { look(page.Timeout(5*time.Minute), cases, server.URL, len(b.Year.Courses)) })
}

// painted runs a script in the page that resolves with milliseconds, and gives the median and the 95th percentile.
func painted(page *rod.Page, times int, script string) (median, most float64) {
	var all []float64
	for n := range times {
		all = append(all, page.MustEval(script, n).Num())
	}
	slices.Sort(all)
	return all[len(all)/2], all[len(all)*95/100]
}

const tools = `() => {
	const frame = () => new Promise(done => requestAnimationFrame(() => setTimeout(done, 0)))
	window.until = async (holds) => { for (let n = 0; n < 600; n++) { if (holds()) { await frame(); return } await frame() } throw new Error('nothing came') }
	const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set
	window.type = (text) => { const field = document.querySelector('aside input[type=search]'); set.call(field, text); field.dispatchEvent(new Event('input', {bubbles: true})) }
	window.said = () => document.querySelector('aside [role=status]').textContent
	window.rows = () => [...document.querySelectorAll('aside button[data-row]')]
	window.spent = (name) => performance.getEntriesByType('resource').filter(e => e.name.includes(name)).at(-1)?.duration ?? 0
}`

func look(page *rod.Page, _ *app.App, url string, courses int) {
	page.MustNavigate(url).MustWaitLoad()
	page.MustElement("input[name=username]").MustInput("mara.quill")
	page.MustElement("input[name=password]").MustInput(demo.Password).MustType(input.Enter)
	page.MustElement("#board")
	page.MustElement("aside button[data-row]")
	page.MustWaitRequestIdle("/live")()
	page.Mouse.MustMoveTo(640, 400) // with the first sign of work the rest of the files comes
	page.MustWaitRequestIdle("/live")()
	page.MustEval(tools)
	fmt.Printf("%d courses; milliseconds to the painted result, median and 95%% (at most 100 are wanted)\n", courses)
	say := func(what string, times int, script string) {
		median, most := painted(page, times, script)
		fmt.Printf("  %-28s %6.1f %6.1f\n", what, median, most)
	}
	say("search", 60, `async (n) => { const words = ['tidal', '', 'norw', 'biology', 'e']; const before = said(); const at = performance.now(); type(words[n % 5]); await until(() => said() !== before); return performance.now() - at }`)
	page.MustEval(`async () => { const before = said(); type(''); if (said() === before) return; await until(() => said() !== before) }`)
	say("pointing at a course", 60,
		`async (n) => { const row = rows()[n % 3].closest('li'); const at = performance.now(); row.dispatchEvent(new PointerEvent('pointerover', {bubbles: true}))
		await until(() => document.querySelector('[data-preview], [data-ghost]')); const took = performance.now() - at
		row.dispatchEvent(new PointerEvent('pointerout', {bubbles: true, relatedTarget: document.body})); await until(() => !document.querySelector('[data-preview], [data-ghost]')); return took }`)
	say("adding, the server apart", 20,
		`async () => { performance.clearResourceTimings(); const first = said() + rows()[0].dataset.row; const before = document.querySelectorAll('#board button[data-course]').length
		const button = rows().find(r => r.textContent.includes('Fits') && !r.textContent.includes('Takes the place')); button.click(); await until(() => [...document.querySelectorAll('aside button')].some(b => b.textContent.startsWith('Request')))
		const at = performance.now(); [...document.querySelectorAll('aside button')].find(b => b.textContent.startsWith('Request')).click()
		await until(() => document.querySelectorAll('#board button[data-course]').length > before); const took = performance.now() - at - spent('/changes')
		const undo = [...document.querySelectorAll('header button')].find(b => b.textContent === 'Undo'); await until(() => !undo.disabled); undo.click(); await until(() => document.querySelectorAll('#board button[data-course]').length === before)
		await until(() => rows().length > 5 && said() + rows()[0].dataset.row === first); return took }`)
	page.MustEval(`async () => { for (const course of ['WOO1', 'SAI1']) { const base = '/api/schools/pellworth/years/2027/students/s0001/sheet'
		const sheet = await (await fetch(base)).json(); await fetch(base + '/changes',
		{method: 'POST', headers: {'Content-Type': 'application/json'},
		body: JSON.stringify({version: sheet.version, act: 'alternate', course})}) } }`)
	page.MustWait(`() => document.querySelectorAll('[aria-labelledby=alternates] button[data-course]').length >= 3`)
	say("ranking, the server apart", 20,
		`async () => { performance.clearResourceTimings(); const list = () => [...document.querySelectorAll('[aria-labelledby=alternates] button[data-course]')].map(b => b.dataset.course).join()
		const before = list(); const button = document.querySelectorAll('[aria-labelledby=alternates] button[data-course]')[1]; button.focus(); const at = performance.now()
		button.dispatchEvent(new KeyboardEvent('keydown', {key: 'ArrowUp', altKey: true, bubbles: true})); await until(() => list() !== before); const took = performance.now() - at - spent('/changes')
		await until(() => ![...document.querySelectorAll('header button')].find(b => b.textContent === 'Undo').disabled); return took }`)
	if page.MustEval(`() => rows().length`).Int() == 0 {
		panic(errors.New("the list is empty"))
	}
}

// follow measures how long the demand of a school of 1,200 takes to show a change of one sheet.
func follow(page *rod.Page, cases *app.App, url string, _ int) {
	page.MustNavigate(url).MustWaitLoad()
	page.MustElement("input[name=username]").MustInput("office")
	page.MustElement("input[name=password]").MustInput(demo.Password).MustType(input.Enter)
	page.MustElement("header nav")
	page.MustNavigate(url + "/demand")
	page.MustElement("main input[type=search]").MustInput("AST1")
	page.MustElementR("main label", "not handed in").MustElement("input").MustClick()
	page.MustElement("[data-course=AST1]")
	ctx := page.GetContext()
	accounts, err := cases.Account.Accounts(ctx, demo.SchoolID)
	if err != nil {
		panic(err)
	}
	mara := schoolyear.Place{School: demo.SchoolID, Year: 2027, Student: "s0001"}
	var all []float64
	for n := range 21 {
		text := page.MustElement("[data-course=AST1]").MustText()
		d, err := cases.Sheet.Sheet(ctx, accounts["s0001"], mara)
		if err != nil {
			panic(err)
		}
		began := time.Now()
		if _, err := cases.Sheet.Change(ctx, accounts["s0001"], mara,
			appsheet.Edit{Version: d.Row.Version, Act: []string{"request", "remove"}[n%2], Course: "AST1"}); err != nil {
			panic(err)
		}
		page.MustWait(`(text) => document.querySelector('[data-course=AST1]')?.innerText !== text`, text)
		all = append(all, float64(time.Since(began).Milliseconds()))
	}
	slices.Sort(all)
	fmt.Printf("1,200 students; milliseconds from a change of one sheet to the demand on the office's screen, median and "+
		"most: %.0f %.0f (at most 1000 are wanted)\n",
		all[len(all)/2], all[len(all)-1])
}

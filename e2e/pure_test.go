package e2e

import (
	"bytes"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"rubricon/e2e/browser"
)

// pureEntry puts functions of the front end that need no screen into a page's hands.
const pureEntry = `
import * as layout from '%src/student/layout';
import * as search from '%src/student/search';
import * as ranks from '%src/student/ranks';
import * as kept from '%src/api/kept';
const course = (code, more) => ({ code, title: code, subjects: [], spans: [[0], [1]], load: 1, ...more });
const bookOf = (courses, rules = []) => ({ catalog: { terms: ['S1', 'S2'], rules, courses }, course: (code) => courses.find((c) => c.code === code) });
const sheetOf = (requests, fill) => ({ requests, packing: { fill } });
const board = (laid) => laid.pieces.map((p) => p.entries.map((e) => e.course).join('+') + ' rows ' + p.row + '-' + (p.row + p.rows) + ' terms ' + p.from + '-' + p.to);
Object.assign(globalThis, { layout, search, ranks, kept, course, bookOf, sheetOf, board });
`

// Functions of the front end that need no screen, each with what it gives.
func TestPureFunctions(t *testing.T) {
	t.Parallel()
	src, err := filepath.Abs("../ui/src")
	if err != nil {
		t.Fatal(err)
	}
	entry, script := filepath.Join(t.TempDir(), "entry.js"), filepath.Join(t.TempDir(), "out.js")
	if err := os.WriteFile(entry, []byte(strings.ReplaceAll(pureEntry, "%src", src)), 0o600); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.CommandContext(t.Context(), "../ui/node_modules/.bin/rolldown", entry, "--format", "iife",
		"--file", script).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	text, err := os.ReadFile(script)
	if err != nil {
		t.Fatal(err)
	}
	blank := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		_, _ = w.Write([]byte("<!doctype html><title>blank</title>"))
	}))
	t.Cleanup(blank.Close)
	page, err := browser.Page(chromium, 800, 600)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = page.Browser().Close() })
	page.MustNavigate(blank.URL).MustWaitLoad().MustEval("() => {" + string(text) + "}")
	for name, c := range map[string]struct{ what, want string }{
		"a year course lies above halves, each as high as there is room": {
			`board(layout.layOut(bookOf([course('A'), course('B'), course('Y')]), sheetOf([
				{ course: 'A', rank: 1, terms: [0] }, { course: 'B', rank: 2, terms: [1] }, { course: 'Y', rank: 3, terms: [0, 1] }])))`,
			`["Y rows 0-2 terms 0-1", "A rows 2-4 terms 0-0", "B rows 2-4 terms 1-1"]`},
		"two halves are one piece": {
			`board(layout.layOut(bookOf([course('A'), course('B')]), sheetOf([
				{ course: 'B', rank: 1, terms: [1], half: 'A' }, { course: 'A', rank: 2, terms: [0], half: 'B' }])))`,
			`["A+B rows 0-2 terms 0-1"]`},
		"what is wanted least of what fills a term hangs over": {
			`board(layout.layOut(bookOf([course('A'), course('Y')]), sheetOf([
				{ course: 'A', rank: 1, terms: [0] }, { course: 'Y', rank: 2, terms: [0, 1] }], ['A', 'Y'])))`,
			`["A rows 0-2 terms 0-0", "Y rows 2-4 terms 0-1"]`},
		"what takes no period lies outside": {
			`layout.layOut(bookOf([course('A', { load: 0 })]), sheetOf([{ course: 'A', rank: 1, terms: [0] }])).outside.map((e) => e.course)`,
			`["A"]`},
		"terms apart are two pieces": {
			`board(layout.layOut({ ...bookOf([course('A')]), catalog: { terms: [1,
				2, 3], courses: [], rules: [] } }, sheetOf([{ course: 'A', rank: 1, terms: [0, 2] }])))`,
			`["A rows 0-2 terms 0-0", "A rows 0-2 terms 2-2"]`},
		"a course would lie where what it replaces is gone": {
			`layout.ghosts(bookOf([course('A'), course('B')]), layout.layOut(bookOf([course('A')]), sheetOf([{ course: 'A', rank: 1, terms: [0] }])),
				{ course: 'B', terms: [0], swaps: ['A'] })`, `[{"row": 0, "rows": 2, "from": 0, "to": 0}]`},
		"a course would lie below what stays": {
			`layout.ghosts(bookOf([course('A'), course('B')]), layout.layOut(bookOf([course('A')]), sheetOf([{ course: 'A', rank: 1, terms: [0] }])),
				{ course: 'B', terms: [0] })`, `[{"row": 2, "rows": 2, "from": 0, "to": 0}]`},
		"open cells are whole periods and single halves": {
			`layout.openCells([true, false, false, false, true, true], 8)`, `[{"row": 1, "rows": 1}, {"row": 2, "rows": 2}, {"row": 6, "rows": 2}]`},

		"the whole word of a title is best": {`search.matches(bookOf([]),
			course('X', { title: 'Marine Biology' }), search.queryOf('biology'))`, `5`},
		"the beginning of one is next": {`search.matches(bookOf([]),
			course('X', { title: 'Marine Biology' }), search.queryOf('bio'))`, `4`},
		"then an everyday word": {`search.matches(bookOf([]),
			course('X', { title: 'Marine', words: ['fish'] }), search.queryOf('fi'))`, `3`},
		"then a word elsewhere": {`search.matches(bookOf([]),
			course('X', { teachers: ['Ms Arden'] }), search.queryOf('arden'))`, `2`},
		"then a rule that counts the course": {`search.matches(bookOf([],
			[{ courses: ['X'], label: 'Arts' }]), course('X'), search.queryOf('arts'))`, `2`},
		"last a word with one slip": {`search.matches(bookOf([]),
			course('X', { title: 'Marine Biology' }), search.queryOf('boilogy'))`, `1`},
		"a short word is not forgiven": {`search.matches(bookOf([]), course('X', { title: 'Rowing' }), search.queryOf('rwo'))`, `0`},
		"two slips are not forgiven":   {`search.matches(bookOf([]), course('X', { title: 'Biology' }), search.queryOf('bilogyy'))`, `0`},
		"accents and capitals do not count": {`search.matches(bookOf([]),
			course('X', { title: 'Español' }), search.queryOf('ESPANOL'))`, `5`},
		"every word counts, the worst decides": {`search.matches(bookOf([]),
			course('X', { title: 'Marine Biology' }), search.queryOf('marine bio'))`, `4`},
		"a word that is nowhere finds nothing": {`search.matches(bookOf([]),
			course('X', { title: 'Marine Biology' }), search.queryOf('marine law'))`, `0`},

		"one up": {`ranks.reordered([{ course: 'A' },
			{ course: 'B' }, { course: 'C' }], 'requests', 'C', -1).order`, `["A", "C", "B"]`},
		"two down": {`ranks.reordered([{ course: 'A' },
			{ course: 'B' }, { course: 'C' }], 'requests', 'A', 2).order`, `["B", "C", "A"]`},
		"no further than the end": {`ranks.reordered([{ course: 'A' }, { course: 'B' }], 'requests', 'A', 9).order`, `["B", "A"]`},

		"what waits is read as it was put": {
			`(() => { const name = kept.keptKey('mara', { school: 's', year: 2027, student: 'x' }); kept.putKept(name, { items: [1, 2], base: 7 });
				const had = [kept.readKept(name), kept.anyWaits()]; kept.putKept(name, { items: [], base: 7 }); return [...had, kept.anyWaits()]; })()`,
			`[{"items": [1, 2], "base": 7}, true, false]`},
		"another's and a draft's wait apart": {
			`new Set([kept.keptKey('mara', { school: 's', year: 2027,
				student: 'x' }), kept.keptKey('mara', { school: 's', year: 2027, student: 'x', draft: 3 }),
				kept.keptKey('ilse', { school: 's', year: 2027, student: 'x' })]).size`, `3`},
		"a stranger's queue has no name": {`kept.keptKey('', { school: 's', year: 2027, student: 'x' })`, `""`},
		"what cannot be read is an empty queue": {`(() => { localStorage.setItem('waiting x', '{'); const had = kept.readKept('waiting x'); kept.forgetKept(); return [had, kept.anyWaits()]; })()`,
			`[{"items": [], "base": 0}, false]`},
	} {
		t.Run(name, func(t *testing.T) {
			got := page.MustEval("() => JSON.stringify(" + c.what + ")").Str()
			var want bytes.Buffer
			if err := json.Compact(&want, []byte(c.want)); err != nil {
				t.Fatal(err)
			}
			if got != want.String() {
				t.Errorf("%s, want %s", got, want.String())
			}
		})
	}
}

package main

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"rubricon/app"
	appcaseload "rubricon/app/caseload"
	appcatalog "rubricon/app/catalog"
	"rubricon/bundle"
	"rubricon/demo"
)

// caseload is how many students the measured counselor has.
const caseload = 300

// caseloads measures the list of a counselor of 300, from a cold cache and a warm one, in the server.
func (p *place) caseloads(ctx context.Context) error {
	accounts, err := p.cases.Account.Accounts(ctx, demo.SchoolID)
	if err != nil {
		return err
	}
	const counsels = `school_id = $1 AND year = $2 AND kind = 'counsels' AND person_id`
	if _, err := p.sql.ExecContext(ctx,
		`UPDATE relation SET person_id = 'k1' WHERE (school_id, id) IN (SELECT school_id, id FROM relation WHERE `+counsels+` <> 'k1'
		ORDER BY student_id LIMIT $3::int - (SELECT count(*) FROM relation WHERE `+counsels+` = 'k1'))`, demo.SchoolID, year,
		caseload); err != nil {
		return err
	}
	students := 0
	take := func(cases *app.App) (time.Duration, error) {
		start := time.Now()
		c, err := cases.Caseload.Caseload(ctx, accounts["k1"], demo.SchoolID, year, appcaseload.Filter{Grade: -1})
		if err == nil {
			students = len(c.Lines)
		}
		return time.Since(start), err
	}
	var cold, warm []time.Duration
	for range 15 {
		cases := app.New(p.db, app.Options{FirstPasswordsStay: true})
		for _, into := range []*[]time.Duration{&cold, &warm} {
			took, err := take(cases)
			if err != nil {
				return err
			}
			*into = append(*into, took)
		}
	}
	slices.Sort(cold)
	slices.Sort(warm)
	fmt.Printf("caseload of %d, median of 15: cold %v (at most 150 ms are wanted), warm %v (at most 30 ms)\n", students,
		part(cold, 50), part(warm, 50))
	return p.filters(ctx, accounts["office"])
}

// filters measures the list of the whole school by one filter after another, as the office does, over HTTP.
func (p *place) filters(ctx context.Context, office int64) error {
	all, err := p.cases.Caseload.Caseload(ctx, office, demo.SchoolID, year, appcaseload.Filter{All: true, Grade: -1})
	if err != nil {
		return err
	}
	client, err := enter(p.url, "office")
	if err != nil {
		return err
	}
	for _, query := range []string{"", "stage=notBegun", "reason=uncovered", "grade=10", "program=nautical",
		"course=PHY1", "counselor=k1", "text=quill"} {
		var took []time.Duration
		for range 15 {
			start := time.Now()
			if err := send(client, "GET", fmt.Sprintf("%s/api/schools/%s/years/%d/caseload?all=true&%s", p.url, demo.SchoolID,
				year, query), "", nil); err != nil {
				return err
			}
			took = append(took, time.Since(start))
		}
		slices.Sort(took)
		fmt.Printf("whole school, %d students, filter %q, over HTTP: median %v, most %v (at most 100 ms are wanted)\n",
			len(all.Lines), query, part(took, 50), part(took, 100))
	}
	return p.batch(ctx, office, all)
}

// batch measures an act on all sheets of the school, and taking it back.
func (p *place) batch(ctx context.Context, office int64, all *appcaseload.Caseload) error {
	b := appcaseload.Batch{Kind: appcaseload.BatchPermit, Name: "bench", Reason: "Measured."}
	for i := range all.Lines {
		b.Sheets = append(b.Sheets, appcaseload.Choice{Student: all.Lines[i].Student})
	}
	start := time.Now()
	if _, err := p.cases.Caseload.TryBatch(ctx, office, demo.SchoolID, year, b); err != nil {
		return err
	}
	tried := time.Since(start)
	start = time.Now()
	id, list, err := p.cases.Caseload.DoBatch(ctx, office, demo.SchoolID, year, b)
	if err != nil {
		return err
	}
	done := time.Since(start)
	for _, o := range list {
		if o.Code != "" {
			return fmt.Errorf("a batch: %s is %s", o.Student, o.Code)
		}
	}
	start = time.Now()
	if _, err := p.cases.Caseload.TakeBack(ctx, office, demo.SchoolID, year, id, "", "Measured."); err != nil {
		return err
	}
	fmt.Printf("an act on %d sheets: tried %v, done %v (at most 3 s are wanted), taken back %v\n", len(list),
		tried.Round(time.Millisecond), done.Round(time.Millisecond), time.Since(start).Round(time.Millisecond))
	return p.revision(ctx, office)
}

// revision measures what it takes to tell how all sheets stand to other rules.
func (p *place) revision(ctx context.Context, office int64) error {
	y, source, err := p.cases.Catalog.Source(ctx, office, demo.SchoolID, year)
	if err != nil {
		return err
	}
	var took []time.Duration
	for round := range 10 {
		text := strings.Replace(source.Policy, `"label": "`, fmt.Sprintf(`"label": "(%d) `, round), 1)
		start := time.Now()
		if _, err := p.cases.Catalog.TryRevision(ctx, office, demo.SchoolID, year,
			appcatalog.Revision{Catalog: y.CatalogVersion, Policy: y.PolicyVersion, Rules: &text}); err != nil {
			return err
		}
		took = append(took, time.Since(start))
	}
	slices.Sort(took)
	fmt.Printf("other rules judged on all sheets: median %v, most %v (at most 1 s is wanted)\n", part(took, 50), part(took, 100))
	return nil
}

// newPolicy publishes a policy and lets all clients look at their sheets at once.
func (p *place) newPolicy(ctx context.Context) error {
	var all []time.Duration
	for round := range 10 {
		files := demo.Bundle(demo.Options{Students: 1200, Seed: 7})
		for i := range files {
			if files[i].Name == "policy.json" {
				files[i].Text = bytes.Replace(files[i].Text, []byte(`"label": "`), fmt.Appendf(nil, `"label": "(%d) `, round), 1)
			}
		}
		b, err := bundle.ReadFiles(files)
		if err != nil {
			return err
		}
		if _, err := p.cases.Imports.Import(ctx, b, 0); err != nil {
			return err
		}
		some, err := measure(p.people, 1, func(x *person, _ int) error { return x.call("GET", p.url+x.sheet(), "") })
		if err != nil {
			return err
		}
		all = append(all, some...)
	}
	slices.Sort(all)
	fmt.Printf("a new policy, then %d clients at once, 10 times: median %v, 99%% %v (at most 500 ms are wanted)\n",
		len(p.people), part(all, 50), part(all, 99))
	return nil
}

// importTwice imports 20,000 students, twice: into nothing, and, every student's records changed, while the clients edit.
func importTwice(ctx context.Context, clients int) error {
	files := demo.Bundle(demo.Options{Students: 20_000, Seed: 7})
	start := time.Now()
	p, err := open(ctx, clients, files)
	if err != nil {
		return err
	}
	defer p.close()
	fmt.Printf("20,000 students read and imported into nothing: %v\n", time.Since(start).Round(time.Millisecond))
	for i := range files {
		if files[i].Name == "records.csv" {
			term := slices.Index(files[i].Header, "title")
			for _, row := range files[i].Rows {
				row[term] += " (again)"
			}
		}
	}
	b, err := bundle.ReadFiles(files)
	if err != nil {
		return err
	}
	var over atomic.Bool
	var mu sync.Mutex
	var all []time.Duration
	var failed error
	var wait sync.WaitGroup
	for i := range p.people {
		x := &p.people[i]
		wait.Go(func() {
			for n := 0; !over.Load(); n++ {
				act := []func(string) error{x.change, x.submit, x.sign}[n%3]
				start := time.Now()
				err := act(p.url)
				took := time.Since(start)
				mu.Lock()
				all = append(all, took)
				if err != nil {
					failed = err
				}
				mu.Unlock()
				if err != nil {
					return
				}
				time.Sleep(200 * time.Millisecond) // people do not click faster
			}
		})
	}
	start = time.Now()
	_, err = p.cases.Imports.Import(ctx, b, 0)
	took := time.Since(start)
	over.Store(true)
	wait.Wait()
	if err != nil || failed != nil {
		return fmt.Errorf("importing: %v; editing meanwhile: %v", err, failed)
	}
	slices.Sort(all)
	fmt.Printf("imported again, every record changed: %v; %d changes, submissions and signatures by %d families "+
		"meanwhile: median %v, 99%% %v, slowest %v (at most 1 s is wanted), none refused\n",
		took.Round(time.Millisecond), len(all), clients, part(all, 50), part(all, 99), all[len(all)-1].Round(time.Millisecond))
	return nil
}

package main

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"rubricon/bundle"
	"rubricon/demo"
	"rubricon/school"
)

// caseload is how many students the measured counselor has.
const caseload = 300

// caseloads measures the list of a counselor of 300, from a cold cache and a warm one, in the server.
func (p *place) caseloads(ctx context.Context) error {
	accounts, err := p.cases.Accounts(ctx, demo.SchoolID)
	if err != nil {
		return err
	}
	const counsels = `school_id = $1 AND year = $2 AND kind = 'counsels' AND person_id`
	if _, err := p.db.ExecContext(ctx, `UPDATE relation SET person_id = 'k1' WHERE (school_id, id) IN (SELECT school_id, id FROM relation WHERE `+counsels+` <> 'k1'
		ORDER BY student_id LIMIT $3::int - (SELECT count(*) FROM relation WHERE `+counsels+` = 'k1'))`, demo.SchoolID, year, caseload); err != nil {
		return err
	}
	students := 0
	take := func(cases *school.Service) (time.Duration, error) {
		start := time.Now()
		c, err := cases.Caseload(ctx, accounts["k1"], demo.SchoolID, year, false)
		if err == nil {
			students = len(c.Lines)
		}
		return time.Since(start), err
	}
	var cold, warm []time.Duration
	for range 15 {
		cases := school.New(p.db, school.Options{})
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
	fmt.Printf("caseload of %d, median of 15: cold %v (at most 150 ms are wanted), warm %v (at most 30 ms)\n", students, part(cold, 50), part(warm, 50))
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
		if _, err := p.cases.Import(ctx, b); err != nil {
			return err
		}
		some, err := measure(p.people, 1, func(x *person, _ int) error { return x.call("GET", p.url+x.sheet(), "") })
		if err != nil {
			return err
		}
		all = append(all, some...)
	}
	slices.Sort(all)
	fmt.Printf("a new policy, then %d clients at once, 10 times: median %v, 99%% %v (at most 500 ms are wanted)\n", len(p.people), part(all, 50), part(all, 99))
	return nil
}

// intake imports 20,000 students, twice: into nothing, and, every student's records changed, while the clients edit.
func intake(ctx context.Context, clients int) error {
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
	_, err = p.cases.Import(ctx, b)
	took := time.Since(start)
	over.Store(true)
	wait.Wait()
	if err != nil || failed != nil {
		return fmt.Errorf("importing: %v; editing meanwhile: %v", err, failed)
	}
	slices.Sort(all)
	fmt.Printf("imported again, every record changed: %v; %d changes, submissions and signatures by %d families meanwhile: median %v, 99%% %v, slowest %v (at most 1 s is wanted), none refused\n",
		took.Round(time.Millisecond), len(all), clients, part(all, 50), part(all, 99), all[len(all)-1].Round(time.Millisecond))
	return nil
}

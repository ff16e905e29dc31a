package apptest

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"rubricon/app/schedule"
	"rubricon/bundle"
	"rubricon/internal/testdb"
)

// HandsIn has a student hand in these requests and alternates.
func (h *House) HandsIn(student string, requests, alternates []string) {
	h.T.Helper()
	var entries []string
	for kind, list := range [][]string{requests, alternates} {
		for k, code := range list {
			entries = append(entries, fmt.Sprintf(`{"c":%q,"a":%v,"r":%d,"s":""}`, code, kind == 1, k+1))
		}
	}
	testdb.Value[int](h.T, h.DB,
		fmt.Sprintf(`WITH sub AS (INSERT INTO submission (school_id,
			year, student_id, number, receipt, at, actor, actor_name, catalog_version, policy_version, entries, judgement)
			SELECT 'pellworth', 2027, '%[1]s', coalesce(max(number), 0) + 1,
			'R-%[1]s-' || coalesce(max(number), 0) + 1, now(), '%[1]s', 'Test', 1, 1, '[%[2]s]', '{}'
			FROM submission WHERE school_id = 'pellworth' AND year = 2027 AND student_id = '%[1]s' RETURNING number),
		sheet AS (UPDATE sheet SET submission = sub.number, state = 'submitted', version = version + 1 FROM sub
		WHERE school_id = 'pellworth' AND year = 2027 AND student_id = '%[1]s')
		SELECT number FROM sub`, student, strings.Join(entries, ",")))
}

// Kiln is a school in which two students ask for Ceramics I, which has one seat; Printmaking comes in.
func (h *House) Kiln() {
	h.T.Helper()
	h.Classes([]string{"sourcedId,status,title,courseSourcedId,classType,schoolSourcedId,termSourcedIds,periods,metadata.days,metadata.seats,metadata.teacher",
		"cer1-1,active,Ceramics,c-cer1,scheduled,pellworth,sy27-1,7,,1,Ms A",
		"pri1-1,active,Printmaking,c-pri1,scheduled,pellworth,sy27-1,8,,5,Ms B",
		"pho1-1,active,Photography,c-pho1,scheduled,pellworth,sy27-1,7,,5,Ms C"})
	for _, student := range []string{"s0003", "s0004"} {
		h.HandsIn(student, []string{"CER1"}, []string{"PRI1"})
	}
}

// seats sets the seats of a section.
func (h *House) SeatsIn(section string, n int) {
	h.T.Helper()
	m, err := h.Schedule.MasterSchedule(h.T.Context(), h.Who("office"), Mara.School, Mara.Year)
	if err != nil {
		h.T.Fatal(err)
	}
	x := m.Sections[slices.IndexFunc(m.Sections, func(x schedule.Section) bool { return x.ID == section })]
	x.Seats = n
	if _, err := h.Schedule.PutSection(h.T.Context(), h.Who("office"), Mara.School, Mara.Year, &x); err != nil {
		h.T.Fatal(err)
	}
}

// Has lists what a run gives a student, and what not.
func (h *House) Has(run int, student string) string {
	h.T.Helper()
	p, err := h.Schedule.PlacedIn(h.T.Context(), h.Who("office"), Mara.School, Mara.Year, run, student)
	if err != nil {
		h.T.Fatal(err)
	}
	var out []string
	for _, g := range p.Given {
		out = append(out, g.Section)
	}
	for _, l := range p.Lacking {
		out = append(out, "not "+l.Course+": "+string(l.Why))
	}
	return strings.Join(out, ", ")
}

// schedule gives the school a master schedule: a section of each course that Mara asks for but one, so that
// Ceramics I clashes with Health.
func (h *House) Scheduled() {
	h.T.Helper()
	rows := []string{"sourcedId,status,title,courseSourcedId,classType,schoolSourcedId,termSourcedIds,periods,metadata.days,metadata.seats,metadata.teacher"}
	for i, c := range []struct{ code, terms, periods string }{{"eng10", "sy27", "1"}, {"alg2", "sy27", "2"},
		{"wld2", "sy27", "3"}, {"phy1", "sy27", "4"}, {"nor2", "sy27", "5"}, {"tid1", "sy27", "6"},
		{"hlt1", "sy27-1", "7"}, {"row1", "sy27-2", "7"}, {"cer1", "sy27-1", "7"}, {"pri1", "sy27-1", "8"}, {"pho1", "sy27-2", "8"}} {
		rows = append(rows, strings.Join([]string{c.code + "-1", "active", "Section " + c.code, "c-" + c.code, "scheduled",
			"pellworth", c.terms, c.periods, "", "30", "Ms Teacher " + string(rune('A'+i))}, ","))
	}
	h.Classes(rows)
}

// Classes brings the demo school again with a master schedule, and with other files where they are changed.
func (h *House) Classes(rows []string, change ...func([]bundle.File)) {
	h.T.Helper()
	files := testdb.Files()
	Takes("submitted")(files)
	for _, other := range change {
		other(files)
	}
	f := bundle.File{Name: "classes.csv", Header: strings.Split(rows[0], ",")}
	for _, row := range rows[1:] {
		f.Rows = append(f.Rows, strings.Split(row, ","))
	}
	b, err := bundle.ReadFiles(append(files, f))
	if err != nil {
		h.T.Fatal(err)
	}
	if len(b.Problems) > 0 {
		h.T.Fatal(b.Problems)
	}
	h.Bring(b)
}

// Placed starts a run, runs it, and gives it.
func (h *House) Placed(ctx context.Context) *schedule.Run {
	h.T.Helper()
	office := h.Who("office")
	r, err := h.Schedule.StartRun(ctx, office, Mara.School, Mara.Year, 7, 20)
	if err != nil {
		h.T.Fatal(err)
	}
	if err := h.Background.RunTask(ctx, Mara.School, r.Task); err != nil {
		h.T.Fatal(err)
	}
	list, err := h.Schedule.Runs(ctx, office, Mara.School, Mara.Year)
	if err != nil {
		h.T.Fatal(err)
	}
	return list[0]
}

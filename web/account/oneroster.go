package account

import (
	"context"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"rubricon/app/account"
	"rubricon/app/problem"
)

// The calls of OneRoster 1.1 (REST binding) for reading, next to its CSV files: other systems read the newest
// year of the school whose token they show (RFC 6750). What the standard calls GUIDs are the sourcedIds of
// the school's data. Names of parameters, headers and codes are the standard's, from memory.

// RosterPath is where the standard has its calls.
const RosterPath = "/ims/oneroster/v1p1"

// Bounds of a page.
const (
	rosterPage = 100
	rosterMost = 5000
)

// rosterKind is a collection of the standard.
type rosterKind struct {
	Plural, Single string
	file           string
	fields         []rosterField
	only           func(account.Cells) bool // nil: all
}

// rosterField is a field of the standard, and how it is made of a cell.
type rosterField struct {
	name string
	make func(link func(kind, id string) any, cell string) any
}

func cellText(name string) rosterField {
	return rosterField{name, func(_ func(string, string) any, cell string) any { return cell }}
}
func cellList(name string) rosterField {
	return rosterField{name, func(_ func(string, string) any, cell string) any { return commaList(cell) }}
}
func cellTruth(name string) rosterField {
	return rosterField{name, func(_ func(string, string) any, cell string) any { return cell == "true" }}
}

// cellRef is a reference to one of another kind; cellRefs are several, in cells as a comma list.
func cellRef(name, kind string) rosterField {
	return rosterField{name, func(link func(kind, id string) any, cell string) any { return link(kind, cell) }}
}
func cellRefs(name, kind string) rosterField {
	return rosterField{name, func(link func(kind, id string) any, cell string) any {
		out := []any{}
		for _, id := range commaList(cell) {
			out = append(out, link(kind, id))
		}
		return out
	}}
}

func commaList(cell string) []string {
	out := []string{}
	for part := range strings.SplitSeq(cell, ",") {
		if part = strings.TrimSpace(part); part != "" {
			out = append(out, part)
		}
	}
	return out
}

// rosterColumns are the columns of the CSV binding whose field in the REST binding has another name.
var rosterColumns = map[string]string{"org": "orgSourcedId", "orgs": "orgSourcedIds", "parent": "parentSourcedId",
	"course": "courseSourcedId", "school": "schoolSourcedId", "terms": "termSourcedIds", "user": "userSourcedId",
	"class": "classSourcedId", "agents": "agentSourcedIds", "schoolYear": "schoolYearSourcedId"}

// rosterMany are the fields that have several values; a filter finds each of them.
var rosterMany = []string{"grades", "subjects", "subjectCodes", "periods", "agents", "orgs", "terms"}

func withRole(names ...string) func(account.Cells) bool {
	return func(c account.Cells) bool { return slices.Contains(names, c["role"]) }
}

func sessionOf(types ...string) func(account.Cells) bool {
	return func(c account.Cells) bool { return slices.Contains(types, c["type"]) }
}

var (
	orgFields     = []rosterField{cellText("name"), cellText("type"), cellText("identifier"), cellRef("parent", "org")}
	sessionFields = []rosterField{cellText("title"), cellText("startDate"), cellText("endDate"), cellText("type"),
		cellRef("parent", "academicSession"), cellText("schoolYear")}
	classFields = []rosterField{cellText("title"), cellText("classCode"), cellText("classType"), cellText("location"),
		cellList("grades"), cellList("subjects"), cellRef("course", "course"), cellRef("school", "org"),
		cellRefs("terms", "academicSession"), cellList("subjectCodes"), cellList("periods")}
	userFields = []rosterField{cellText("username"), cellTruth("enabledUser"), cellText("givenName"),
		cellText("familyName"), cellText("middleName"), cellText("role"), cellText("identifier"), cellText("email"),
		cellText("sms"), cellText("phone"), cellRefs("agents", "user"), cellRefs("orgs", "org"), cellList("grades")}
)

// RosterKinds are the collections that are served.
var RosterKinds = []rosterKind{
	{Plural: "orgs", Single: "org", file: "orgs.csv", fields: orgFields, only: nil},
	{Plural: "schools", Single: "org", file: "orgs.csv", fields: orgFields, only: func(c account.Cells) bool { return c["type"] == "school" }},
	{Plural: "academicSessions", Single: "academicSession", file: "academicSessions.csv", fields: sessionFields, only: nil},
	{Plural: "terms", Single: "academicSession", file: "academicSessions.csv", fields: sessionFields, only: sessionOf("term", "semester")},
	{Plural: "gradingPeriods", Single: "academicSession", file: "academicSessions.csv", fields: sessionFields,
		only: sessionOf("gradingPeriod")},
	{Plural: "courses", Single: "course", file: "courses.csv",
		fields: []rosterField{cellText("title"), cellRef("schoolYear", "academicSession"), cellText("courseCode"),
			cellList("grades"), cellList("subjects"), cellRef("org", "org"), cellList("subjectCodes")}, only: nil},
	{Plural: "classes", Single: "class", file: "classes.csv", fields: classFields, only: nil},
	{Plural: "users", Single: "user", file: "users.csv", fields: userFields, only: nil},
	{Plural: "students", Single: "user", file: "users.csv", fields: userFields, only: withRole("student")},
	{Plural: "teachers", Single: "user", file: "users.csv", fields: userFields, only: withRole("teacher")},
	{Plural: "enrollments", Single: "enrollment", file: "enrollments.csv",
		fields: []rosterField{cellRef("user", "user"), cellRef("class", "class"), cellRef("school", "org"), cellText("role"),
			cellText("beginDate"), cellText("endDate")}, only: nil},
}

// rosterPlurals are the collections that references lead to.
var rosterPlurals = map[string]string{"org": "orgs", "academicSession": "academicSessions", "course": "courses",
	"class": "classes", "user": "users", "enrollment": "enrollments"}

// rosterPart is a collection within one of another: the students of a class, for instance.
type rosterPart struct {
	Parent, Child string // plurals
	column        string // of the child, that names the parent: one or a list; or, where via is set, of enrollments
	via           string // the column of enrollments that names the child
}

// RosterParts are the collections that are read below one object of another.
var RosterParts = []rosterPart{
	{Parent: "schools", Child: "classes", column: "schoolSourcedId", via: ""},
	{Parent: "schools", Child: "courses", column: "orgSourcedId", via: ""},
	{Parent: "schools", Child: "students", column: "orgSourcedIds", via: ""},
	{Parent: "schools", Child: "teachers", column: "orgSourcedIds", via: ""},
	{Parent: "schools", Child: "enrollments", column: "schoolSourcedId", via: ""},
	{Parent: "courses", Child: "classes", column: "courseSourcedId", via: ""},
	{Parent: "terms", Child: "classes", column: "termSourcedIds", via: ""},
	{Parent: "classes", Child: "students", column: "classSourcedId", via: "userSourcedId"},
	{Parent: "students", Child: "classes", column: "userSourcedId", via: "classSourcedId"},
}

// RosterKindOf returns the kind with a plural.
func RosterKindOf(plural string) *rosterKind {
	return &RosterKinds[slices.IndexFunc(RosterKinds, func(k rosterKind) bool { return k.Plural == plural })]
}

// within keeps the rows that belong to one parent. The error is a *rosterFault where there is no such parent,
// or the token is not for what leads there.
func (s *Routes) within(ctx context.Context, m *account.Machine, part *rosterPart, id string,
	rows []account.Cells) ([]account.Cells, error) {
	parents, err := s.rosterRows(ctx, m, RosterKindOf(part.Parent))
	if err != nil {
		return nil, err
	}
	if !slices.ContainsFunc(parents, func(r account.Cells) bool { return r["sourcedId"] == id }) {
		return nil, &rosterFault{http.StatusNotFound, "unknownobject", "there is none with this sourcedId"}
	}
	names := func(r account.Cells) bool {
		cell := r[part.column]
		// what names no school is of the one that there is
		return cell == "" && part.Parent == "schools" || slices.Contains(strings.Split(cell, ","), id)
	}
	keep := names
	if part.via != "" {
		enrollments, err := s.rosterRows(ctx, m, RosterKindOf("enrollments"))
		if err != nil {
			return nil, err
		}
		in := map[string]bool{}
		for _, e := range enrollments {
			in[e[part.via]] = in[e[part.via]] || names(e)
		}
		keep = func(r account.Cells) bool { return in[r["sourcedId"]] }
	}
	return slices.DeleteFunc(slices.Clone(rows), func(r account.Cells) bool { return !keep(r) }), nil
}

// rosterRows reads a collection whole. The error is a *rosterFault where the token is not for it.
func (s *Routes) rosterRows(ctx context.Context, m *account.Machine, kind *rosterKind) ([]account.Cells, error) {
	rows, err := s.cases.Account.Roster(ctx, m, kind.file)
	if problem.CodeOf(err) == problem.NotFound {
		return nil, &rosterFault{http.StatusForbidden, "forbidden", "the token is not for this; it reads " + m.Purpose}
	} else if err != nil {
		return nil, err
	}
	if kind.only != nil {
		rows = slices.DeleteFunc(slices.Clone(rows), func(r account.Cells) bool { return !kind.only(r) })
	}
	return rows, nil
}

// rosterFault is an error as the standard has it.
type rosterFault struct {
	status      int
	minor, what string
}

func (f *rosterFault) Error() string { return f.what }

// RosterRoutes registers the calls of OneRoster 1.1, which other systems make with a token.
func (s *Routes) RosterRoutes(engine *gin.Engine) {
	for _, kind := range RosterKinds {
		serve := func(c *gin.Context, one bool, part *rosterPart) {
			c.Header("Cache-Control", "no-store")
			body, err := s.roster(c, &kind, one, part)
			if err == nil {
				c.JSON(http.StatusOK, body)
				return
			}
			fault, known := err.(*rosterFault)
			if !known {
				fault = &rosterFault{http.StatusInternalServerError, "server_busy", "the server cannot answer just now"}
				if problem.Unavailable(err) {
					fault.status = http.StatusServiceUnavailable
					c.Header("Retry-After", "2")
				}
				s.Log.ErrorContext(c.Request.Context(), "reading a roster", "error", err)
			}
			if fault.status == http.StatusUnauthorized {
				c.Header("WWW-Authenticate", `Bearer realm="rubricon"`)
			}
			c.JSON(fault.status, gin.H{"imsx_codeMajor": "failure", "imsx_severity": "error", "imsx_description": fault.what,
				"imsx_codeMinor": gin.H{"imsx_codeMinorField": []gin.H{{"imsx_codeMinorFieldName": "TargetEndSystem",
					"imsx_codeMinorFieldValue": fault.minor}}}})
		}
		engine.GET(RosterPath+"/"+kind.Plural, func(c *gin.Context) { serve(c, false, nil) })
		engine.GET(RosterPath+"/"+kind.Plural+"/:id", func(c *gin.Context) { serve(c, true, nil) })
		for _, part := range RosterParts {
			if part.Child == kind.Plural {
				engine.GET(RosterPath+"/"+part.Parent+"/:id/"+part.Child, func(c *gin.Context) { serve(c, false, &part) })
			}
		}
	}
}

// roster answers one call.
func (s *Routes) roster(c *gin.Context, kind *rosterKind, one bool, part *rosterPart) (any, error) {
	ctx := c.Request.Context()
	token, ok := strings.CutPrefix(c.GetHeader("Authorization"), "Bearer ")
	if !ok || len(token) > 100 {
		return nil, &rosterFault{http.StatusUnauthorized, "unauthorisedrequest", "show a token of the school: Authorization: Bearer …"}
	}
	m, err := s.cases.Account.Machine(ctx, token)
	if problem.CodeOf(err) == problem.NotFound {
		return nil, &rosterFault{http.StatusUnauthorized, "unauthorisedrequest", "the token does not hold; ask the school's office for another"}
	} else if err != nil {
		return nil, err
	}
	rows, err := s.rosterRows(ctx, m, kind)
	if err == nil && part != nil {
		rows, err = s.within(ctx, m, part, c.Param("id"), rows)
	}
	if err != nil {
		return nil, err
	}
	fields, err := kind.wanted(c.Query("fields"))
	if err != nil {
		return nil, err
	}
	base := s.Base
	if base == "" {
		base = "http://" + c.Request.Host
	}
	link := func(kind, id string) any {
		if id == "" {
			return nil
		}
		return gin.H{"href": base + RosterPath + "/" + rosterPlurals[kind] + "/" + url.PathEscape(id), "sourcedId": id, "type": kind}
	}
	if one {
		i := slices.IndexFunc(rows, func(r account.Cells) bool { return r["sourcedId"] == c.Param("id") })
		if i < 0 {
			return nil, &rosterFault{http.StatusNotFound, "unknownobject", "there is none with this sourcedId"}
		}
		return gin.H{kind.Single: kind.object(rows[i], fields, link)}, nil
	}
	if rows, err = kind.chosen(rows, c.Query("filter")); err != nil {
		return nil, err
	}
	if err := kind.sorted(rows, c.Query("sort"), c.Query("orderBy")); err != nil {
		return nil, err
	}
	limit, offset, err := paging(c)
	if err != nil {
		return nil, err
	}
	total := len(rows)
	c.Header("X-Total-Count", strconv.Itoa(total))
	c.Header("Link", pageLinks(base, c.Request.URL, limit, offset, total))
	rows = rows[min(offset, total):min(offset+limit, total)]
	out := make([]any, 0, len(rows))
	for _, r := range rows {
		out = append(out, kind.object(r, fields, link))
	}
	return gin.H{kind.Answered(): out}, nil
}

// Answered is the name under which a collection is answered: schools are orgs, terms sessions, students users.
func (k *rosterKind) Answered() string { return rosterPlurals[k.Single] }

// cell is the cell that a field is made of.
func (k *rosterKind) cell(r account.Cells, field string) string {
	column := field
	if other, ok := rosterColumns[field]; ok && !(field == "schoolYear" && k.Single == "academicSession") {
		column = other
	}
	if field == "status" && r["status"] == "" {
		return "active"
	}
	return r[column]
}

var rosterAlways = []string{"sourcedId", "status", "dateLastModified"}

// object is a row as the standard has it; fields nil: all.
func (k *rosterKind) object(r account.Cells, fields []string, link func(kind, id string) any) gin.H {
	out := gin.H{}
	keep := func(name string, v any) {
		if v != nil && (fields == nil || slices.Contains(fields, name)) {
			out[name] = v
		}
	}
	for _, name := range rosterAlways {
		keep(name, k.cell(r, name))
	}
	for _, f := range k.fields {
		if cell := k.cell(r, f.name); cell != "" {
			keep(f.name, f.make(link, cell))
		}
	}
	if k.Single != "user" { // what a school adds about people is not for others
		more := gin.H{}
		for column, cell := range r {
			if name, ok := strings.CutPrefix(column, "metadata."); ok {
				more[name] = cell
			}
		}
		if len(more) > 0 {
			keep("metadata", more)
		}
	}
	return out
}

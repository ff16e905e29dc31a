// Package contracttest holds what a server answers against the contract: every answer of a test run has a
// status, a media type and a body that the contract has.
//
//	server := httptest.NewServer(contracttest.Hold(web.New(…)))
//	func TestMain(m *testing.M) { testdb.Main(contracttest.Run{M: m}) }
package contracttest

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"mime"
	"net/http"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/web"
)

// Run is a test run that fails where an answer was not as the contract has it.
type Run struct {
	M      interface{ Run() int }
	Except []string // routes that tests add, as "GET /api/held"
}

// Run runs the tests and tells what was not as the contract has it.
func (r Run) Run() int {
	code := r.M.Run()
	mu.Lock()
	defer mu.Unlock()
	for _, fault := range slices.Sorted(maps.Keys(faults)) {
		if slices.ContainsFunc(r.Except, func(route string) bool { return strings.HasPrefix(fault, route+" ") }) {
			continue
		}
		fmt.Fprintln(os.Stderr, "not as the contract has it:", fault)
		code = max(code, 1)
	}
	return code
}

var (
	mu     sync.Mutex
	faults = map[string]bool{}
)

// maxHeld bounds how much of a body is looked at, in bytes.
const maxHeld = 8 << 20

// Hold looks at each answer of a server.
func Hold(h http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		kept := &keeper{ResponseWriter: w, status: http.StatusOK}
		h.ServeHTTP(kept, r) // a panic that aborts the answer goes through: there is no whole answer then
		fault := check(r, kept)
		if fault == "" {
			return
		}
		mu.Lock()
		defer mu.Unlock()
		faults[fault] = true
	})
}

// keeper keeps what is answered beside answering it.
type keeper struct {
	http.ResponseWriter
	status int
	body   bytes.Buffer
	cut    bool // more was answered than is kept, or it failed
}

func (k *keeper) Unwrap() http.ResponseWriter { return k.ResponseWriter }

func (k *keeper) WriteHeader(status int) {
	if status >= 200 {
		k.status = status
	}
	k.ResponseWriter.WriteHeader(status)
}

func (k *keeper) Write(b []byte) (int, error) {
	if k.body.Len()+len(b) > maxHeld {
		k.cut = true
	} else {
		k.body.Write(b)
	}
	n, err := k.ResponseWriter.Write(b)
	k.cut = k.cut || err != nil
	return n, err
}

// route is an operation with what its paths look like.
type route struct {
	path string
	like *regexp.Regexp
	of   map[string]*huma.Operation // by method
}

var contract = sync.OnceValues(func() (*huma.OpenAPI, []route) {
	doc := web.Contract()
	var routes []route
	for path, item := range doc.Paths {
		like := regexp.MustCompile("^" + regexp.MustCompile(`\\\{\w+\\\}`).ReplaceAllString(regexp.QuoteMeta(path), "[^/]+") + "$")
		routes = append(routes, route{path, like, map[string]*huma.Operation{"GET": item.Get, "POST": item.Post,
			"PUT": item.Put, "DELETE": item.Delete, "PATCH": item.Patch}})
	}
	slices.SortFunc(routes, func(a, b route) int { // what is fixed comes before what is named
		if n := strings.Count(a.path, "{") - strings.Count(b.path, "{"); n != 0 {
			return n
		}
		return strings.Compare(a.path, b.path)
	})
	return doc, routes
})

// check reports what is not as the contract has it; empty: nothing.
func check(r *http.Request, k *keeper) string {
	doc, routes := contract()
	method := r.Method
	if method == http.MethodHead {
		method = http.MethodGet
	}
	var op *huma.Operation
	for i := range routes {
		if routes[i].like.MatchString(r.URL.EscapedPath()) {
			op = routes[i].of[method]
			break
		}
	}
	if op == nil {
		if strings.HasPrefix(r.URL.Path, "/api/") && k.status < 400 {
			return fmt.Sprintf("%s %s answers %d, and is no route", r.Method, r.URL.Path, k.status)
		}
		return ""
	}
	said := fmt.Sprintf("%s %s answers %d", op.Method, op.Path, k.status)
	response := op.Responses[strconv.Itoa(k.status)]
	if response == nil && k.status >= 400 {
		response = op.Responses["default"]
	}
	if response == nil {
		return said + ", which it does not have"
	}
	if k.body.Len() == 0 && (r.Method == http.MethodHead || len(response.Content) == 0 || k.cut) {
		return ""
	}
	kind, _, _ := mime.ParseMediaType(k.Header().Get("Content-Type"))
	content := response.Content[kind]
	if content == nil {
		return fmt.Sprintf("%s with %q, which it does not have", said, kind)
	}
	if content.Schema == nil || k.cut || !strings.HasSuffix(kind, "json") {
		return ""
	}
	var body io.Reader = &k.body
	if k.Header().Get("Content-Encoding") == "gzip" {
		unzipped, err := gzip.NewReader(body)
		if err != nil {
			return fmt.Sprintf("%s with what is not gzip: %v", said, err)
		}
		body = unzipped
	}
	var value any
	if err := json.NewDecoder(body).Decode(&value); err != nil {
		return fmt.Sprintf("%s with what is no JSON: %v", said, err)
	}
	found := &huma.ValidateResult{}
	huma.Validate(doc.Components.Schemas, content.Schema, huma.NewPathBuffer(nil, 0), huma.ModeReadFromServer, value, found)
	if len(found.Errors) > 0 {
		return fmt.Sprintf("%s: %v", said, found.Errors[0])
	}
	return ""
}

package main

import (
	"bytes"
	"compress/gzip"
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/trace/noop"

	"rubricon/internal/testdb"
	"rubricon/web"
)

// A request is traced where a collector is named, with its route and its statements, and with nothing of people; elsewhere nothing is.
func TestTracing(t *testing.T) {
	db := testdb.New(t)
	cases := testdb.Service(db.Open(t))
	var mu sync.Mutex
	var got bytes.Buffer
	collector := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body := io.Reader(r.Body)
		if r.Header.Get("Content-Encoding") == "gzip" {
			body, _ = gzip.NewReader(r.Body)
		}
		mu.Lock()
		defer mu.Unlock()
		_, _ = io.Copy(&got, body)
	}))
	t.Cleanup(collector.Close)
	t.Cleanup(func() { otel.SetTracerProvider(noop.NewTracerProvider()) })
	signIn := func(ctx context.Context) {
		end, err := startTracing(ctx)
		if err != nil {
			t.Fatal(err)
		}
		r := httptest.NewRequest(http.MethodPost, "/api/session", strings.NewReader(`{"username":"mara.quill","password":"pellworth demo"}`))
		r.Header.Set("Content-Type", "application/json")
		w := httptest.NewRecorder()
		web.New(cases, web.Options{Now: func() time.Time { return testdb.Now }}).ServeHTTP(w, r)
		if w.Code != http.StatusOK {
			t.Fatalf("signing in: %d %s", w.Code, w.Body)
		}
		end()
	}
	if signIn(t.Context()); got.Len() > 0 {
		t.Errorf("without a collector: %q", got.String())
	}
	t.Setenv("OTEL_EXPORTER_OTLP_ENDPOINT", collector.URL)
	signIn(t.Context())
	mu.Lock()
	defer mu.Unlock()
	for _, want := range []string{"POST /api/session", "SELECT", "account_password", "rubricon"} {
		if !strings.Contains(got.String(), want) {
			t.Errorf("%q is not traced", want)
		}
	}
	for _, not := range []string{"mara", "quill", "pellworth demo"} {
		if strings.Contains(got.String(), not) {
			t.Errorf("%q is traced", not)
		}
	}
}

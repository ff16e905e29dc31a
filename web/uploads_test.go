package web_test

import (
	"bytes"
	"fmt"
	"io"
	"net"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"rubricon/internal/testdb"
)

// slowUpload begins a file of so many bytes and sends only the first; wait returns what is answered.
func (s *site) slowUpload(cookies, path string, size int) (conn net.Conn, wait func() string) {
	s.t.Helper()
	conn, in := s.raw(fmt.Sprintf("POST %s HTTP/1.1\r\nHost: x\r\nCookie: %s\r\nContent-Type: application/octet-stream\r\nContent-Length: %d\r\n\r\n%%", path, cookies, size))
	return conn, func() string {
		res, err := http.ReadResponse(in, nil)
		if err != nil {
			return err.Error()
		}
		body, _ := io.ReadAll(res.Body)
		return said(res.StatusCode, body)
	}
}

func claimPath(t *testing.T, s *site) string {
	t.Helper()
	claim := testdb.Value[int64](t, s.db, `SELECT id FROM signal WHERE student_id = 's0001' AND kind = 'claim'`)
	return fmt.Sprintf("%s/claims/%d/file?name=report.pdf", strings.TrimSuffix(maraSheet, "/sheet"), claim)
}

// TestSlowUploadsOfOne: files of one account that do not arrive keep no one else's out, and no more of them than two are waited for.
func TestSlowUploadsOfOne(t *testing.T) {
	s := newSite(t)
	mara, path := s.person("mara.quill"), claimPath(t, s)
	cookies := s.cookies(mara)
	var all sync.WaitGroup
	answers := make(chan string, 12)
	var conns []net.Conn
	for range 12 {
		conn, wait := s.slowUpload(cookies, path, 1000)
		conns = append(conns, conn)
		all.Go(func() { answers <- wait() })
	}
	for range 10 {
		if got := <-answers; got != "429 own-uploads" {
			t.Errorf("a third at the same time: %s", got)
		}
	}
	arden := s.person("ms.arden")
	if got := said(s.call(arden, "POST", path+"&reason=x", "%PDF-1.7\n")); got != "200" {
		t.Errorf("the counselor's meanwhile: %s", got)
	}
	if got := said(s.call(s.person("office"), "POST", "/api/schools/pellworth/years/2027/imports?name=x.zip", "PK\x03\x04")); got != "200" {
		t.Errorf("the office's import meanwhile: %s", got)
	}
	for _, c := range conns {
		_ = c.Close()
	}
	all.Wait()
	for end := time.Now().Add(20 * time.Second); ; {
		got := said(s.call(mara, "POST", path, "%PDF-1.7\n"))
		if got == "200" {
			break
		}
		if time.Now().After(end) {
			t.Fatalf("when the slow ones have ended: %s", got)
		}
	}
}

// TestAFileArrivesWhole: what is kept is what was sent, however it is cut on its way.
func TestAFileArrivesWhole(t *testing.T) {
	s := newSite(t)
	mara, path := s.person("mara.quill"), claimPath(t, s)
	content := append([]byte("%PDF-1.7\n"), bytes.Repeat([]byte("0123456789abcdef"), 300_000/16)...)
	pr, pw := io.Pipe()
	go func() {
		for part := range bytes.SplitSeq(content, []byte("f0")) {
			_, _ = pw.Write(part)
			_, _ = pw.Write([]byte("f0"))
		}
		_ = pw.Close()
	}()
	req, err := http.NewRequest("POST", s.URL+path, pr)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Content-Type", "application/octet-stream")
	res, err := mara.Do(req)
	if err != nil || res.StatusCode != 200 {
		t.Fatal(res, err)
	}
	_ = res.Body.Close()
	want := append(bytes.Clone(content), "f0"...)
	if got := testdb.Value[[]byte](t, s.db, `SELECT content FROM attachment`); !bytes.Equal(got, want) {
		t.Errorf("%d bytes are kept, %d were sent", len(got), len(want))
	}
}

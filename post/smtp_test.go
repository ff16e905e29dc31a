package post_test

import (
	"errors"
	"net"
	"net/mail"
	"strings"
	"testing"
	"time"

	"rubricon/post"
	"rubricon/post/sink"
)

// What a mail server does is told apart: it took the mail, it never will, it may later, or no one knows; and it has a mail as it was sent.
func TestMailServer(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	s := sink.New()
	go func() { _ = s.Serve(t.Context(), l) }()
	server, err := post.Server("smtp://"+l.Addr().String(), "The school <courses@pellworth.example>")
	if err != nil {
		t.Fatal(err)
	}
	post.Hurry(server, time.Second)
	m := &post.Message{ID: "7@pellworth.example", To: mail.Address{Name: "Ilse Ångström", Address: "ilse@pellworth.example"}, Subject: "Ein Gruß 👋", Text: "Söt\n.\nend", HTML: "<p>Söt</p>", Stop: "https://x.example/stop"}
	for _, c := range []struct {
		trouble       sink.Trouble
		taken         bool
		final, unsure bool
	}{{0, true, false, false}, {sink.Refuses, false, true, false}, {sink.NotNow, false, false, false}, {sink.SaysNothing, false, false, false}, {sink.HangsUp, false, false, true}, {sink.Forgets, true, false, true}} {
		s.Misbehave(c.trouble)
		before := len(s.Mails())
		err := server.Send(t.Context(), m)
		var fault *post.Fault
		if c.trouble == 0 && err != nil || c.trouble != 0 && !errors.As(err, &fault) {
			t.Fatalf("trouble %d: %v", c.trouble, err)
		}
		if fault != nil && (fault.Final != c.final || fault.Unsure != c.unsure) {
			t.Errorf("trouble %d: final %v, unsure %v: %v", c.trouble, fault.Final, fault.Unsure, err)
		}
		if taken := len(s.Mails()) > before; taken != c.taken {
			t.Errorf("trouble %d: taken %v", c.trouble, taken)
		}
	}
	got := s.Mails()[0]
	if got.ID != m.ID || got.Subject != m.Subject || strings.TrimSpace(strings.ReplaceAll(got.Text, "\r\n", "\n")) != m.Text || !strings.Contains(got.HTML, m.HTML) || got.To != "ilse@pellworth.example" ||
		got.Header.Get("List-Unsubscribe") != "<https://x.example/stop>" || got.Header.Get("List-Unsubscribe-Post") != "List-Unsubscribe=One-Click" || got.Header.Get("Auto-Submitted") != "auto-generated" {
		t.Errorf("it has %+v", got)
	}
	// Only a server on this machine may lack TLS: another address must have it, also where it leads here.
	s.Misbehave(0)
	_, port, err := net.SplitHostPort(l.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	for host, taken := range map[string]bool{"localhost": true, "0.0.0.0": false} {
		named, err := post.Server("smtp://"+host+":"+port, "x@pellworth.example")
		if err != nil {
			t.Fatal(err)
		}
		post.Hurry(named, time.Second)
		before := len(s.Mails())
		err = named.Send(t.Context(), m)
		if got := len(s.Mails()) > before; got != taken || (err == nil) != taken {
			t.Errorf("%s, without TLS: taken %v, want %v; %v", host, got, taken, err)
		}
	}
	_ = l.Close()
	nobody, err := post.Server("smtp://127.0.0.1:1", "x@pellworth.example")
	if err != nil {
		t.Fatal(err)
	}
	var fault *post.Fault
	if err := nobody.Send(t.Context(), m); !errors.As(err, &fault) || fault.Final || fault.Unsure {
		t.Errorf("a server that is not there: %v", err)
	}
	bad := *m
	bad.To.Address = "no address"
	if err := nobody.Send(t.Context(), &bad); !errors.As(err, &fault) || !fault.Final {
		t.Errorf("an address that is none: %v", err)
	}
	for _, address := range []string{"", "mail.example", "http://mail.example", "smtp://"} {
		if _, err := post.Server(address, "x@pellworth.example"); err == nil {
			t.Errorf("%q is taken as a mail server", address)
		}
	}
	if _, err := post.Server("smtp://mail.example", "nobody"); err == nil {
		t.Error("nobody is taken as an address")
	}
}

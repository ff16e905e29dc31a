package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	neturl "net/url"
	"os"
	"os/signal"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"rubricon/app"
	"rubricon/app/messages"
	"rubricon/app/seats"
	"rubricon/attendance"
	"rubricon/hook"
	"rubricon/jobs"
	"rubricon/post"
	"rubricon/signon"
	"rubricon/store"
	"rubricon/web"
	webaccount "rubricon/web/account"
	"rubricon/web/server"
)

func serveCommand() *cobra.Command {
	var listen, metrics string
	var secure bool
	var proxies []string
	cmd := &cobra.Command{
		Use:   "serve",
		Short: "Serve the application; the database is $RUBRICON_DATABASE",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			url, err := databaseURL()
			if err != nil {
				return err
			}
			o := web.Options{}
			for _, text := range proxies {
				prefix, err := netip.ParsePrefix(text)
				if err != nil {
					return wrongUse(fmt.Errorf("%q is not a network; write --proxies 10.1.2.0/24", text))
				}
				o.Proxies = append(o.Proxies, prefix)
			}
			l, err := listenOn(listen)
			if err != nil {
				return err
			}
			if o.TLS = secure; !cmd.Flags().Changed("secure") {
				o.TLS = !onLoopback(l)
			}
			mails, err := mailSettings()
			if err != nil {
				return wrongUse(err)
			}
			o.Base = strings.TrimSuffix(os.Getenv("RUBRICON_URL"), "/")
			if o.SignOn, err = signOnSettings(o.Base); err != nil {
				return wrongUse(err)
			}
			ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			others, may, err := hookSettings()
			if err != nil {
				return wrongUse(err)
			}
			marks, err := attendanceSettings()
			if err != nil {
				return wrongUse(err)
			}
			var counts net.Listener
			if metrics != "" {
				if counts, err = listenOn(metrics); err != nil {
					return err
				}
			}
			return serve(ctx, &serving{listens: l, counts: counts, url: url, follows: os.Getenv("RUBRICON_REPLICA"), web: o,
				mails: mails, marks: marks, hookKey: others, hookMay: may, out: cmd.OutOrStdout()})
		},
	}
	cmd.Flags().StringVar(&listen, "listen", "127.0.0.1:7270", "the address to serve on")
	cmd.Flags().StringVar(&metrics, "metrics", "",
		"an address of its own for /metrics, such as 127.0.0.1:9270, which the world must not reach; empty: none")
	cmd.Flags().BoolVar(&secure, "secure", false, "behind TLS: send cookies over it alone (on, unless the address is of this machine alone)")
	cmd.Flags().StringSliceVar(&proxies, "proxies", nil, "networks of proxies whose X-Forwarded-For is trusted")
	return cmd
}

// mailSettings reads how mails are sent from the environment; without a mail server they wait.
func mailSettings() (jobs.Post, error) {
	server := os.Getenv("RUBRICON_SMTP")
	if server == "" {
		return jobs.Post{}, nil
	}
	from, base := os.Getenv("RUBRICON_MAIL_FROM"), strings.TrimSuffix(os.Getenv("RUBRICON_URL"), "/")
	at, err := neturl.Parse(base)
	if err != nil || at.Hostname() == "" {
		return jobs.Post{}, errors.New("mails lead back to the application: set RUBRICON_URL to its address, such as " +
			"https://courses.school.example")
	}
	sender, err := post.Server(server, from)
	return jobs.Post{Sender: sender, Base: base, Domain: at.Hostname()}, err
}

// signOnSettings reads the schools' own accounts from the file that the environment names; without it there are none.
func signOnSettings(base string) (*signon.Client, error) {
	name := os.Getenv("RUBRICON_SIGNON")
	if name == "" {
		return nil, nil
	}
	if base == "" {
		return nil, errors.New("accounts of schools lead back to the application: set RUBRICON_URL to its address, such as " +
			"https://courses.school.example")
	}
	list, err := signon.Read(name)
	if err != nil {
		return nil, err
	}
	return signon.New(list, base+webaccount.SignOnBack), nil
}

// attendanceSettings reads from the environment where attendance is kept; without it none is known.
func attendanceSettings() (seats.Attendance, error) {
	base := os.Getenv("RUBRICON_ATTENDANCE")
	if base == "" {
		return nil, nil
	}
	return attendance.New(base, os.Getenv("RUBRICON_ATTENDANCE_TOKEN"))
}

// hookSettings reads from the environment the key of which the secrets of messages to other systems are made,
// and what networks of one's own such messages may reach; without a key no one is told.
func hookSettings() (key []byte, may []netip.Prefix, err error) {
	text := os.Getenv("RUBRICON_HOOK_KEY")
	if text != "" && len(text) < shortestKey {
		return nil, nil, fmt.Errorf("RUBRICON_HOOK_KEY is too short: make one with openssl rand -hex 32, of at least %d characters", shortestKey)
	}
	for _, part := range strings.FieldsFunc(os.Getenv("RUBRICON_HOOK_NETWORKS"), func(r rune) bool { return r == ',' || r == ' ' }) {
		prefix, err := netip.ParsePrefix(part)
		if err != nil {
			return nil, nil, fmt.Errorf("%q is not a network; write RUBRICON_HOOK_NETWORKS=10.1.2.0/24", part)
		}
		may = append(may, prefix)
	}
	return []byte(text), may, nil
}

// shortestKey is the shortest key that is taken, in characters: of 32 random bytes in hexadecimal there are 64.
const shortestKey = 32

func onLoopback(l net.Listener) bool {
	at, ok := l.Addr().(*net.TCPAddr)
	return ok && at.IP.IsLoopback()
}

func listenOn(address string) (net.Listener, error) {
	l, err := net.Listen("tcp", address)
	if errors.Is(err, syscall.EADDRINUSE) {
		return nil, &exitError{exitWrongUse,
			fmt.Sprintf("%s is taken by another program; stop that, or choose another address with --listen 127.0.0.1:7271", address)}
	}
	return l, err
}

// stopWithin is how long a process may take to end what it has begun.
const stopWithin = 10 * time.Second

// serving is what a server process works with.
type serving struct {
	listens, counts net.Listener // for people; for Prometheus, may be nil
	url, follows    string       // of the database, and of one that follows it; may be empty
	web             web.Options
	mails           jobs.Post
	// of which the secrets of messages to other systems are made; none: they are told nothing
	hookKey []byte
	hookMay []netip.Prefix                        // networks that messages may reach although they are not the world's
	marks   seats.Attendance                      // may be nil
	ready   func(context.Context, *app.App) error // done before the first line is printed; may be nil
	out     io.Writer
}

// serve serves until the context ends.
func serve(ctx context.Context, o *serving) error {
	slog.SetDefault(slog.New(server.LogHandler(slog.NewTextHandler(os.Stderr, nil))))
	traced, err := startTracing(ctx)
	if err != nil {
		return err
	}
	defer traced()
	db, err := store.Open(ctx, o.url)
	if err != nil {
		return err
	}
	defer db.Close()
	if o.follows != "" {
		if err := db.Follow(ctx, o.follows); err != nil {
			return err
		}
	}
	if o.ready != nil {
		if err := o.ready(ctx, app.New(db, app.Options{Log: slog.New(slog.DiscardHandler), NoPost: true, FirstPasswordsStay: true})); err != nil {
			return err
		}
	}
	sender := hook.New(o.hookMay)
	cases := app.New(db, app.Options{Attendance: o.marks, Hooks: messages.Hooks{Key: o.hookKey, Takes: sender.Takes}})
	go cases.Messages.Live(ctx)
	queue, err := jobs.Start(ctx, db, cases, o.mails, sender, slog.Default())
	if err != nil {
		return err
	}
	stopped := make(chan struct{})
	ctx, leave := context.WithCancel(ctx)
	defer func() {
		leave()
		<-stopped
	}()
	context.AfterFunc(ctx, func() { // next to the requests, so that both together keep within the time
		defer close(stopped)
		end, cancel := context.WithTimeout(context.Background(), stopWithin)
		defer cancel()
		_ = queue.Stop(end)
	})
	handler := web.New(cases, o.web)
	server := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second, ReadTimeout: 30 * time.Second,
		WriteTimeout: 60 * time.Second,
		IdleTimeout:  2 * time.Minute, MaxHeaderBytes: 64 << 10, ErrorLog: slog.NewLogLogger(slog.Default().Handler(), slog.LevelWarn)}
	server.RegisterOnShutdown(handler.EndStreams)
	failed := make(chan error, 1)
	if o.counts != nil {
		shows := &http.Server{Handler: handler.Metrics(), ReadHeaderTimeout: 10 * time.Second}
		go func() { _ = shows.Serve(o.counts) }()
		defer func() { _ = shows.Close() }()
	}
	go func() { failed <- server.Serve(o.listens) }()
	fmt.Fprintf(o.out, "Rubricon serves on http://%s (Ctrl-C stops it)\n", o.listens.Addr())
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	handler.Leave()
	end, cancel := context.WithTimeout(context.Background(), stopWithin)
	defer cancel()
	return server.Shutdown(end)
}

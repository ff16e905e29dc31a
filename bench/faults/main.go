// Command faults tries what goes wrong in operation: a server process of its own answers a stream of changes
// while the database under it is started again, killed, slowed down, filled up, or replaced by its standby;
// afterwards every change that was answered must be there. It tells of each fault what came of it; -only
// tries one alone.
package main

import (
	"bytes"
	"context"
	"errors"
	"flag"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"rubricon/app"
	appcatalog "rubricon/app/catalog"
	"rubricon/bench/stage"
	"rubricon/demo"
	"rubricon/store"
	"rubricon/store/local"
)

func main() {
	only := flag.String("only", "", "one fault: restart, kill, server, slow, full, standby, moment")
	flag.Parse()
	slog.SetDefault(slog.New(slog.DiscardHandler))
	faults := []struct {
		name, what string
		try        func(context.Context, *bench) error
		settings   []string
	}{
		{name: "restart", what: "the database is started anew", try: restart, settings: nil},
		{name: "kill", what: "the database is killed, and recovers", try: kill, settings: nil},
		{name: "server", what: "the server process is killed ten times at random moments, and started again", try: killServer, settings: nil},
		{name: "slow", what: "every commit takes 100 ms more (commit_delay), as on a slow disk", try: slow,
			settings: []string{"commit_delay=100000", "commit_siblings=0"}},
		{name: "full", what: "the disk of the database is full, and is made room on", try: full, settings: nil},
		{name: "standby", what: "the database is killed, and its synchronous standby is promoted", try: standby,
			settings: []string{"wal_level=replica", "synchronous_standby_names=*", "synchronous_commit=on"}},
		{name: "moment", what: "a backup is brought back to a moment", try: moment, settings: []string{"wal_level=replica", "archive_mode=on"}},
	}
	bad := false
	for _, f := range faults {
		if *only != "" && *only != f.name {
			continue
		}
		fmt.Printf("%s: %s\n", f.name, f.what)
		if err := tried(f.try, f.name, f.settings); err != nil {
			fmt.Println("  FAILED:", err)
			bad = true
		}
	}
	if bad {
		os.Exit(1)
	}
}

// bench is a school with a server process and a database, each of which may be taken away.
type bench struct {
	dir      string
	settings []string
	pg       *local.Server
	url      string // of the server's role
	listen   string
	process  *exec.Cmd
	*stream
}

func tried(try func(context.Context, *bench) error, name string, settings []string) error {
	ctx, stop := context.WithTimeout(context.Background(), 5*time.Minute)
	defer stop()
	dir, err := stage.Folder("faults")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if name == "full" {
		if err := syscall.Mount("none", dir, "tmpfs", 0, "size=400m,mode=755"); err != nil {
			fmt.Println("  not tried: this machine gives no small disk:", err)
			return nil
		}
		defer func() { _ = syscall.Unmount(dir, syscall.MNT_DETACH) }()
	}
	b := &bench{dir: dir, settings: settings}
	if name == "moment" {
		archive := filepath.Join(dir, "archive")
		if err := os.Mkdir(archive, 0o777); err != nil {
			return err
		}
		if err := os.Chmod(archive, 0o777); err != nil {
			return err
		}
		b.settings = append(b.settings, "archive_command=cp %p "+archive+"/%f", "archive_timeout=1")
	}
	if name == "standby" { // nothing follows yet
		b.settings = []string{"wal_level=replica"}
	}
	if b.pg, b.url, err = stage.Database(ctx, dir, b.settings...); err != nil {
		return err
	}
	defer func() { _ = b.pg.Stop() }()
	if err := b.load(ctx); err != nil {
		return err
	}
	if name == "standby" {
		b.settings = settings
	}
	if err := b.start(); err != nil {
		return err
	}
	defer b.end()
	if err := b.signIn(ctx); err != nil {
		return err
	}
	if err := try(ctx, b); err != nil {
		return err
	}
	return b.verify(ctx)
}

// load makes the database of the demo school, open to everybody.
func (b *bench) load(ctx context.Context) error {
	db, err := store.Open(ctx, b.url)
	if err != nil {
		return err
	}
	defer db.Close()
	read, err := stage.School(60)
	if err != nil {
		return err
	}
	cases := app.New(db, app.Options{FirstPasswordsStay: true, NoPost: true, Hashes: stage.Cheap})
	if _, err := cases.Imports.Import(ctx, read, 0); err != nil {
		return err
	}
	now := time.Now()
	b.stream = &stream{kept: map[string][]string{}}
	return cases.Catalog.SetWindow(ctx, demo.SchoolID, year,
		appcatalog.Window{Grade: -1, Opens: now.Add(-time.Hour), Families: now.AddDate(0, 0, 1), Counselors: now.AddDate(0, 0, 2)})
}

// start starts the server process and waits until it is ready.
func (b *bench) start() (err error) {
	if b.listen == "" {
		if b.listen, err = stage.Free(); err != nil {
			return err
		}
		b.stream.base = "http://" + b.listen
	}
	b.process, err = stage.Serve(b.url, b.listen)
	return err
}

func (b *bench) end() {
	if b.process != nil {
		_ = b.process.Process.Kill()
		_ = b.process.Wait()
	}
}

// while lets the stream of changes flow, does what goes wrong in the middle of it, and lets it flow on.
func (b *bench) while(fault func() error) error {
	b.flow()
	time.Sleep(2 * time.Second)
	before := b.counted()
	err := fault()
	time.Sleep(4 * time.Second)
	b.stop()
	fmt.Printf("  %d changes were answered before, %d afterwards, %d not; %d times 503 with when to come back; the "+
		"longest pause between two answers was %s\n",
		before, b.counted()-before, b.unanswered(), b.away(), b.pause().Round(10*time.Millisecond))
	if b.why != "" {
		fmt.Println("  the first that was not answered:", b.why)
	}
	return err
}

func restart(ctx context.Context, b *bench) error {
	return b.while(func() (err error) {
		if err = b.pg.Stop(); err != nil {
			return err
		}
		time.Sleep(time.Second)
		b.pg, err = local.Start(ctx, local.Options{Dir: filepath.Join(b.dir, "pg"), Port: b.pg.Port, Settings: b.settings})
		return err
	})
}

func kill(ctx context.Context, b *bench) error {
	return b.while(func() (err error) {
		if err = b.pg.Kill(); err != nil {
			return err
		}
		b.pg, err = local.Start(ctx, local.Options{Dir: filepath.Join(b.dir, "pg"), Port: b.pg.Port, Settings: b.settings})
		return err
	})
}

func killServer(_ context.Context, b *bench) error {
	return b.while(func() error {
		for range 10 {
			time.Sleep(b.random())
			b.end()
			if err := b.start(); err != nil {
				return err
			}
		}
		return nil
	})
}

func slow(_ context.Context, b *bench) error {
	err := b.while(func() error { time.Sleep(3 * time.Second); return nil })
	fmt.Printf("  a change took %s in the middle, %s at 95 %%\n", b.took(0.5).Round(time.Millisecond), b.took(0.95).Round(time.Millisecond))
	return err
}

func full(ctx context.Context, b *bench) error {
	return b.while(func() (err error) {
		ballast := filepath.Join(b.dir, "ballast")
		file, err := os.Create(ballast)
		if err != nil {
			return err
		}
		chunk := bytes.Repeat([]byte("full"), 1<<16)
		for err == nil {
			_, err = file.Write(chunk)
		}
		_ = file.Close()
		if !errors.Is(err, syscall.ENOSPC) {
			return err
		}
		time.Sleep(8 * time.Second)
		if err := os.Remove(ballast); err != nil {
			return err
		}
		select {
		case <-b.pg.Done: // it has given up for want of room, as it does to be safe; the operator starts it
			fmt.Println("  the database had stopped itself, and is started again")
			b.pg, err = local.Start(ctx, local.Options{Dir: filepath.Join(b.dir, "pg"), Port: b.pg.Port, Settings: b.settings})
			return err
		case <-time.After(time.Second):
			return nil
		}
	})
}

func standby(ctx context.Context, b *bench) error {
	second := filepath.Join(b.dir, "standby")
	if err := b.pg.Copy(second); err != nil {
		return err
	}
	follows, err := local.Start(ctx, local.Options{Dir: second})
	if err != nil {
		return err
	}
	defer func() {
		if b.pg != follows {
			_ = follows.Stop()
		}
	}()
	if err := b.pg.Stop(); err != nil { // from now on a commit waits for the standby
		return err
	}
	if b.pg, err = local.Start(ctx, local.Options{Dir: filepath.Join(b.dir, "pg"), Port: b.pg.Port, Settings: b.settings}); err != nil {
		return err
	}
	b.end()
	b.url = strings.Replace(b.url, fmt.Sprintf("127.0.0.1:%d", b.pg.Port),
		fmt.Sprintf("127.0.0.1:%d,127.0.0.1:%d", b.pg.Port, follows.Port), 1) + "&target_session_attrs=read-write"
	if err := b.start(); err != nil {
		return err
	}
	if err := b.waitFollowed(ctx); err != nil {
		return err
	}
	return b.while(func() error {
		if err := b.pg.Kill(); err != nil {
			return err
		}
		b.pg = follows
		return promote(ctx, follows.URL)
	})
}

// moment makes a base backup and changes, takes an export, makes more changes, and brings the backup back to
// the moment of the export.
func moment(ctx context.Context, b *bench) error {
	base := filepath.Join(b.dir, "base")
	if err := b.pg.Copy(base); err != nil {
		return err
	}
	b.flow()
	time.Sleep(2 * time.Second)
	b.stop()
	want, err := b.export(ctx, b.url)
	if err != nil {
		return err
	}
	var at time.Time
	if err := b.db.GetContext(ctx, &at, `SELECT clock_timestamp()`); err != nil {
		return err
	}
	time.Sleep(time.Second)
	b.flow()
	time.Sleep(2 * time.Second)
	b.stop()
	if later, err := b.export(ctx, b.url); err != nil || bytes.Equal(later, want) {
		return fmt.Errorf("nothing has changed since: %w", err)
	}
	time.Sleep(2 * time.Second) // until the last of the log is in the archive
	if err := os.Rename(filepath.Join(base, "standby.signal"), filepath.Join(base, "recovery.signal")); err != nil {
		return err
	}
	back, err := local.Start(ctx, local.Options{Dir: base,
		Settings: []string{"restore_command=cp " + filepath.Join(b.dir, "archive") + "/%f %p",
			"recovery_target_time=" + at.UTC().Format("2006-01-02 15:04:05.999999+00"), "recovery_target_action=promote"}})
	if err != nil {
		return err
	}
	defer func() { _ = back.Stop() }()
	if err := recovered(ctx, back.URL); err != nil {
		return err
	}
	got, err := b.export(ctx, strings.Replace(b.url, fmt.Sprint(":", b.pg.Port), fmt.Sprint(":", back.Port), 1))
	if err != nil {
		return err
	}
	if !bytes.Equal(got, want) {
		return errors.New("the export is not that of the moment")
	}
	fmt.Printf("  %d changes, then a moment, then more: the export of what was brought back is that of the moment, to the byte\n", b.counted())
	return nil
}

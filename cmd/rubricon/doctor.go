package main

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	neturl "net/url"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rubricon/app"
	"rubricon/signon"
	"rubricon/store"
)

func doctorCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "doctor",
		Short: "Look for what is wrong with this set-up: the database, and the systems beside it that the environment names",
		Long: "Look for what is wrong with this set-up. Each finding is a line: fine, look (should be looked at) or wrong, " +
			"with what to do. It changes nothing. The exit code is 1 where something is wrong.",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			d := &doctor{out: cmd.OutOrStdout()}
			d.database(cmd.Context())
			d.replica(cmd.Context())
			d.beside(cmd.Context())
			if d.wrong > 0 {
				return &exitError{Code: exitBadRows}
			}
			return nil
		},
	}
}

// doctor writes what it finds. No finding has a secret in it.
type doctor struct {
	out   io.Writer
	wrong int
}

func (d *doctor) fine(format string, args ...any) { fmt.Fprintf(d.out, "fine   "+format+"\n", args...) }
func (d *doctor) look(format string, args ...any) { fmt.Fprintf(d.out, "look   "+format+"\n", args...) }
func (d *doctor) fails(format string, args ...any) {
	d.wrong++
	fmt.Fprintf(d.out, "wrong  "+format+"\n", args...)
}

// askWithin is how long a system beside may take to answer.
const askWithin = 10 * time.Second

func (d *doctor) database(ctx context.Context) {
	url, err := databaseURL()
	if err != nil {
		d.fails("%v", err)
		return
	}
	ctx, stop := context.WithTimeout(ctx, askWithin)
	defer stop()
	db, err := store.Open(ctx, url)
	if err != nil {
		d.fails("database: %v", err)
		return
	}
	defer db.Close()
	d.fine("database: it answers, and has the tables that this program needs")
	s, err := db.Queries().Office.SetUp(ctx)
	if err != nil {
		d.fails("database: its settings cannot be read: %v", err)
		return
	}
	d.setUp(&s, time.Now(), db.PoolStats().Most)
	waits, err := app.New(db, app.Options{}).Office.Backlog(ctx)
	if err != nil {
		d.fails("database: what waits cannot be counted: %v", err)
		return
	}
	d.backlog(&waits)
}

// replica looks at the database that follows, where one is named.
func (d *doctor) replica(ctx context.Context) {
	url := os.Getenv("RUBRICON_REPLICA")
	if url == "" {
		return
	}
	ctx, stop := context.WithTimeout(ctx, askWithin)
	defer stop()
	db, err := store.Open(ctx, url)
	if err != nil {
		d.fails("database that follows: %v", err)
		return
	}
	defer db.Close()
	s, err := db.Queries().Office.SetUp(ctx)
	switch {
	case err != nil:
		d.fails("database that follows: its settings cannot be read: %v", err)
	case !s.Replica:
		d.fails("database that follows: it follows nothing; RUBRICON_REPLICA must name a hot standby of RUBRICON_DATABASE")
	default:
		d.fine("database that follows: it answers")
	}
}

// setUp judges how a database is set up.
func (d *doctor) setUp(s *store.SetUp, now time.Time, pool int) {
	if s.Version < 150000 {
		d.fails("database: PostgreSQL %d is older than 15, with which it is tested; upgrade it", s.Version/10000)
	}
	if s.Encoding != "UTF8" {
		d.fails("database: its encoding is %s, so that names are lost; make it anew with ENCODING 'UTF8'", s.Encoding)
	}
	switch {
	case s.Superuser || s.Owns || s.Rewrites:
		d.fails("database: the server's role could change what has happened (it is a superuser, owns tables or may alter " +
			"events); serve as a member of rubricon_server that owns nothing")
	default:
		d.fine("database: the server's role owns nothing, and cannot alter what has happened")
	}
	if s.Replica {
		d.fails("database: it only reads (a standby); RUBRICON_DATABASE must name the primary")
	}
	if !s.Fsync {
		d.fails("database: fsync is off: what was answered is lost when the machine fails; turn it on")
	}
	if s.Synchronous == "off" {
		d.fails("database: synchronous_commit is off: the latest answers are lost when the database fails; turn it on")
	}
	if !s.Archiving {
		d.look("database: archive_mode is off: it can be restored to the last backup alone, not to a moment (docs/operations.md, “Backup”)")
	}
	if s.Standbys == 0 {
		d.look("database: no standby follows it")
	}
	if free := s.MaxConnections - s.Connections; free < pool {
		d.look("database: %d of %d connections are taken, and a process may have %d (pool_max_conns); raise max_connections, "+
			"or put a pooler in front of it",
			s.Connections, s.MaxConnections, pool)
	}
	if !s.Local && !s.Encrypted {
		d.fails("database: what goes to it over the network is not encrypted; add sslmode=verify-full to its URL")
	}
	if off := now.Sub(s.Clock).Abs(); off > 5*time.Second {
		d.fails("clock: this machine and the database differ by %s; windows open and close by this machine's: set both by NTP",
			off.Round(time.Second))
	} else {
		d.fine("clock: this machine's and the database's agree")
	}
}

// backlog judges what waits.
func (d *doctor) backlog(b *store.Backlog) {
	if b.LetterAge > 600 {
		d.fails("mail: %d wait, the oldest for %s; does a process with RUBRICON_SMTP run?", b.Letters,
			(time.Duration(b.LetterAge) * time.Second).Round(time.Minute))
	}
	if b.LettersLost > 0 {
		d.look("mail: %d of the last day were not sent, or perhaps not; their counselors see which", b.LettersLost)
	}
	if b.JobsGivenUp > 0 {
		d.look("jobs: %d of the last day were given up; the log says why", b.JobsGivenUp)
	}
	if b.JobsWaiting > 100 {
		d.look("jobs: %d wait; does a process run?", b.JobsWaiting)
	}
}

// beside looks at the systems that the environment names.
func (d *doctor) beside(ctx context.Context) {
	base := os.Getenv("RUBRICON_URL")
	at, err := neturl.Parse(base)
	switch {
	case base == "":
		d.look("address: RUBRICON_URL is not set, so there is neither mail nor single sign-on")
	case err != nil || at.Hostname() == "":
		d.fails("address: RUBRICON_URL is no address; write it like https://courses.school.example")
	case at.Scheme != "https" && !isThisMachine(at.Hostname()):
		d.fails("address: RUBRICON_URL is not https: passwords would be sent in the clear; put TLS in front")
	default:
		d.fine("address: %s", base)
	}
	mails, err := mailSettings()
	switch {
	case err != nil:
		d.fails("mail: %v", err)
	case mails.Sender == nil:
		d.look("mail: RUBRICON_SMTP is not set: nothing is sent, mails wait")
	default:
		server, _ := neturl.Parse(os.Getenv("RUBRICON_SMTP"))
		port := server.Port()
		if port == "" {
			port = map[string]string{"smtp": "587", "smtps": "465"}[server.Scheme]
		}
		d.reach("mail: "+server.Hostname(), net.JoinHostPort(server.Hostname(), port))
	}
	if name := os.Getenv("RUBRICON_SIGNON"); name != "" {
		list, err := signon.Read(name)
		if err != nil {
			d.fails("sign-on: %v", err)
		}
		for _, p := range list {
			d.ask(ctx, "sign-on: "+p.Name, strings.TrimSuffix(p.Issuer, "/")+"/.well-known/openid-configuration", http.StatusOK)
		}
		d.readable("sign-on", name)
	}
	if place := os.Getenv("RUBRICON_ATTENDANCE"); place != "" {
		if _, err := attendanceSettings(); err != nil {
			d.fails("attendance: %v", err)
		} else {
			d.ask(ctx, "attendance", place, 0)
		}
	}
	d.hooks()
}

func (d *doctor) hooks() {
	key, may, err := hookSettings()
	switch {
	case err != nil:
		d.fails("telling other systems: %v", err)
	case len(key) > 0:
		d.fine("telling other systems: there is a key, and %d networks of your own may be reached", len(may))
	}
}

func isThisMachine(host string) bool {
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

// readable warns of a file that everybody on this machine may read.
func (d *doctor) readable(what, name string) {
	if info, err := os.Stat(name); err == nil && info.Mode().Perm()&0o004 != 0 {
		d.look("%s: everybody on this machine may read %s; chmod 640", what, name)
	}
}

// reach tries whether something listens at an address.
func (d *doctor) reach(what, address string) {
	c, err := net.DialTimeout("tcp", address, askWithin)
	if err != nil {
		d.fails("%s does not answer at %s", what, address)
		return
	}
	_ = c.Close()
	d.fine("%s answers", what)
}

// ask tries whether a system answers over HTTP, with a status where one is given.
func (d *doctor) ask(ctx context.Context, what, address string, status int) {
	ctx, stop := context.WithTimeout(ctx, askWithin)
	defer stop()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		d.fails("%s: its address cannot be read", what)
		return
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		d.fails("%s does not answer at %s", what, req.URL.Redacted())
		return
	}
	_ = res.Body.Close()
	if status != 0 && res.StatusCode != status {
		d.fails("%s answers %s at %s; is the address right?", what, res.Status, req.URL.Redacted())
		return
	}
	d.fine("%s answers", what)
}

package main

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"os"
	"os/signal"
	"path/filepath"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"rubricon/app"
	appcatalog "rubricon/app/catalog"
	"rubricon/app/seats"
	"rubricon/attendance"
	attendancestandin "rubricon/attendance/standin"
	"rubricon/bundle"
	"rubricon/demo"
	hooksink "rubricon/hook/sink"
	"rubricon/jobs"
	"rubricon/post"
	"rubricon/post/sink"
	"rubricon/signon"
	"rubricon/signon/standin"
	"rubricon/store"
	"rubricon/store/local"
	"rubricon/web"
	webaccount "rubricon/web/account"
)

func demoCommand() *cobra.Command {
	var listen string
	var reset bool
	cmd := &cobra.Command{
		Use:   "demo",
		Short: "Serve the demo school with a database of its own",
		Args:  cobra.NoArgs,
		RunE:  func(cmd *cobra.Command, _ []string) error { return runDemo(cmd, listen, reset) },
	}
	cmd.Flags().StringVar(&listen, "listen", "127.0.0.1:7270", "the address to serve on")
	cmd.Flags().BoolVar(&reset, "reset", false, "start anew: everything entered in the demo is lost")
	return cmd
}

// runDemo serves the demo until it is stopped, or its database ends.
func runDemo(cmd *cobra.Command, listen string, reset bool) error {
	ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	l, err := listenOn(listen)
	if err != nil {
		return err
	}
	defer l.Close()
	if reset {
		if err := os.RemoveAll(dataDir); err != nil {
			return fmt.Errorf("taking the demo's data away: %w", err)
		}
	}
	if err := os.MkdirAll(dataDir, 0o755); err != nil {
		return fmt.Errorf("making the folder for the demo's data: %w", err)
	}
	db, err := local.Start(ctx, local.Options{Dir: filepath.Join(dataDir, "pg")})
	if err != nil {
		return err
	}
	urlFile := filepath.Join(dataDir, "url")
	defer func() {
		_ = os.Remove(urlFile)
		_ = db.Stop()
	}()
	if err := store.Migrate(ctx, db.URL); err != nil {
		return fmt.Errorf("%w; start the demo anew with make demo-reset", err)
	}
	url, err := db.Grant(ctx)
	if err != nil {
		return err
	}
	if err := os.WriteFile(urlFile, []byte(url+"\n"), 0o600); err != nil {
		return fmt.Errorf("keeping the database's URL: %w", err)
	}
	// The demo ends with its database, and says so.
	ctx, end := context.WithCancelCause(ctx)
	go func() {
		select {
		case <-db.Done:
			end(errDatabaseEnded)
		case <-ctx.Done():
		}
	}()
	mails, page, err := demoPost(ctx, "127.0.0.1:7271", "http://"+l.Addr().String())
	if err != nil {
		return err
	}
	accounts, err := demoSignOn(ctx, "127.0.0.1:7272", mails.Base)
	if err != nil {
		return err
	}
	marks, err := demoAttendance(ctx, "127.0.0.1:7273")
	if err != nil {
		return err
	}
	if err := demoHooks(ctx, "127.0.0.1:7274"); err != nil {
		return err
	}
	out := cmd.OutOrStdout()
	err = serve(ctx, &serving{listens: l, url: url,
		web: web.Options{Demo: demoSignIns(), DemoMail: page, SignOn: accounts, Base: mails.Base}, mails: mails,
		marks: marks, hookKey: []byte(demoHookKey), hookMay: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}, out: out,
		ready: func(ctx context.Context, cases *app.App) error { return loadDemo(ctx, cases, out) }})
	if errors.Is(context.Cause(ctx), errDatabaseEnded) {
		return fmt.Errorf("%w; its log ends with:\n%s\nStart again with make demo", errDatabaseEnded, db.Log())
	}
	return err
}

var errDatabaseEnded = errors.New("the demo's database has ended by itself")

func demoSignIns() []webaccount.DemoSignIn {
	who := map[string]string{"mara.quill": "Mara Quill, a student entering grade 10",
		"ilse.quill": "Ilse Quill, mother of Mara and Jonah, in two schools",
		"ms.arden":   "Ms Arden, Mara’s counselor", "office": "Dagny Westerdale, the school office",
		"jonah":          "Jonah Quill, a student entering grade 7 at Tarn Ridge",
		"ms.bellweather": "Ms Bellweather, a counselor of both schools",
		"mr.tolland":     "Mr Tolland, who teaches at one school and is a father at the other",
		"runa.sandaker":  "Runa Sandaker, who chooses her seats at Skerry Point",
		"tove.sandaker":  "Tove Sandaker, mother of Runa", "ms.torvund": "Ms Torvund, Runa’s counselor",
		"office.skerry": "Hedda Oakhanger, the office of Skerry Point"}
	var list []webaccount.DemoSignIn
	for _, username := range demo.SignIns {
		list = append(list, webaccount.DemoSignIn{Username: username, Password: demo.Password, Who: who[username]})
	}
	return list
}

// demoSeed makes the demo school the same everywhere.
const demoSeed = 7

// loadDemo imports the demo schools where the database is empty, and opens their windows around today.
func loadDemo(ctx context.Context, cases *app.App, out io.Writer) error {
	ids, err := cases.Office.Schools(ctx)
	if err != nil || len(ids) > 0 {
		return err
	}
	pellworth := demo.Bundle(demo.Options{Students: 1200, Seed: demoSeed})
	// The master schedule that a school like it would have: made for as many students, whose wishes are much the same.
	for _, f := range demo.Bundle(demo.Options{Students: 1200, Seed: demoSeed, Schedule: demo.Contested, Hard: 1}) {
		if f.Name == "classes.csv" {
			pellworth = append(pellworth, f)
		}
	}
	skerry, planted := demo.Skerry(demoSeed, demo.SkerryStudents)
	for _, s := range []struct {
		name  string
		files []bundle.File
	}{{"Pellworth Sound: 1,200 students", pellworth}, {"Tarn Ridge: 300 students", demo.Tarn(pellworth, demoSeed)},
		{"Skerry Point: 400 students", skerry}} {
		fmt.Fprintf(out, "Loading a demo school, %s…\n", s.name)
		b, err := bundle.ReadFiles(s.files)
		if err != nil {
			return err
		}
		if err := openDemo(ctx, cases, b, planted); err != nil {
			return err
		}
	}
	return nil
}

func openDemo(ctx context.Context, cases *app.App, b *bundle.Bundle, planted map[string][]string) error {
	if _, err := cases.Imports.Import(ctx, b, 0); err != nil {
		return err
	}
	day := time.Now().UTC().Truncate(24 * time.Hour)
	if b.SchoolID == demo.SkerryID {
		return openSeats(ctx, cases, b, day, planted)
	}
	window := appcatalog.Window{Grade: -1, Opens: day.AddDate(0, 0, -20).Add(8 * time.Hour),
		Families: day.AddDate(0, 0, 24).Add(16 * time.Hour), Counselors: day.AddDate(0, 0, 66).Add(16 * time.Hour)}
	if err := cases.Catalog.SetWindow(ctx, b.SchoolID, b.Year.Start, window); err != nil {
		return err
	}
	if b.SchoolID == demo.SchoolID { // which has a round for the summer
		summer := appcatalog.Window{Round: appcatalog.OfTheSummer, Grade: -1,
			Opens: day.AddDate(0, 0, -6).Add(8 * time.Hour), Families: day.AddDate(0, 0, 94).Add(16 * time.Hour),
			Counselors: day.AddDate(0, 0, 108).Add(16 * time.Hour)}
		if err := cases.Catalog.SetWindow(ctx, b.SchoolID, b.Year.Start, summer); err != nil {
			return err
		}
	}
	return demo.Play(ctx, cases, b, demoSeed)
}

// openSeats lets seats be chosen at the third demo school, the oldest first; what was asked for was asked for before.
func openSeats(ctx context.Context, cases *app.App, b *bundle.Bundle, day time.Time, planted map[string][]string) error {
	windows := []appcatalog.Window{{Grade: -1, Opens: day.AddDate(0, 0, -90), Families: day.AddDate(0, 0, -60),
		Counselors: day.AddDate(0, 0, -50)}}
	for i, grade := range []int{12, 11, 10} {
		opens := day.AddDate(0, 0, i-3).Add(12 * time.Hour)
		windows = append(windows, appcatalog.Window{Round: appcatalog.OfSeats, Grade: grade, Opens: opens,
			Families: opens.AddDate(0, 0, 30), Counselors: opens.AddDate(0, 0, 60)})
	}
	for _, w := range windows {
		if err := cases.Catalog.SetWindow(ctx, b.SchoolID, b.Year.Start, w); err != nil {
			return err
		}
	}
	return demo.PlaySeats(ctx, cases, b, planted, demoSeed)
}

// listenNear listens at an address, or, where another demo has it, at a free one.
func listenNear(address string) (net.Listener, error) {
	l, err := net.Listen("tcp", address)
	if err != nil {
		l, err = net.Listen("tcp", "127.0.0.1:0")
	}
	return l, err
}

// standIn serves a stand-in for an outside system until the context ends.
func standIn(ctx context.Context, l net.Listener, handler http.Handler) {
	serves := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second}
	go func() { _ = serves.Serve(l) }()
	context.AfterFunc(ctx, func() { _ = serves.Close() })
}

// demoAttendance starts the stand-in for the system that keeps attendance, with the first weeks of the
// student who is shown first.
func demoAttendance(ctx context.Context, listen string) (seats.Attendance, error) {
	l, err := listenNear(listen)
	if err != nil {
		return nil, err
	}
	s := attendancestandin.New(rand.Text())
	for _, m := range demo.Attendance(demoSeed) {
		s.Put(demo.SkerryID, m)
	}
	standIn(ctx, l, s)
	return attendance.New("http://"+l.Addr().String(), s.Token)
}

// demoHookKey is that of the demo alone: it stays the same, so that what was set up before the demo was
// stopped goes on.
const demoHookKey = "of the demo, and of nothing that matters"

// demoHooks starts the stand-in for another system that is told of what happens.
func demoHooks(ctx context.Context, listen string) error {
	l, err := listenNear(listen)
	if err == nil {
		standIn(ctx, l, hooksink.New())
	}
	return err
}

// demoSignOn starts the stand-in for the accounts of the demo's schools.
func demoSignOn(ctx context.Context, listen, base string) (*signon.Client, error) {
	l, err := listenNear(listen)
	if err != nil {
		return nil, err
	}
	people := []standin.Person{{ID: "s0001", Name: "Mara Quill, student"},
		{ID: "g0001", Name: "Ilse Quill, mother of Mara and Jonah"}, {ID: "k1", Name: "Ms Arden, counselor"},
		{ID: "tr001", Name: "Jonah Quill, student at Tarn Ridge"}, {ID: "nobody", Name: "Somebody whom the school does not know"}}
	secret := rand.Text()
	s, err := standin.New("http://"+l.Addr().String(), "rubricon", secret, base+webaccount.SignOnBack, people)
	if err != nil {
		return nil, err
	}
	standIn(ctx, l, s)
	var list []signon.Provider
	for _, x := range [][2]string{{demo.SchoolID, "Pellworth Sound account"}, {demo.TarnID, "Tarn Ridge account"}} {
		list = append(list, signon.Provider{School: x[0], Name: x[1], Issuer: s.Issuer, ClientID: s.ClientID, Secret: secret, Claim: "school_id"})
	}
	return signon.New(list, base+webaccount.SignOnBack), nil
}

// demoPost starts the stand-in for a mail server, with a page that shows what was sent, and gives the address
// of that page.
func demoPost(ctx context.Context, listen, base string) (jobs.Post, string, error) {
	mails, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return jobs.Post{}, "", err
	}
	page, err := listenNear(listen)
	if err != nil {
		return jobs.Post{}, "", err
	}
	s := sink.New()
	go func() { _ = s.Serve(ctx, mails) }()
	standIn(ctx, page, s)
	sender, err := post.Server("smtp://"+mails.Addr().String(), "Rubricon <courses@pellworth.example>")
	return jobs.Post{Sender: sender, Base: base, Domain: "pellworth.example"}, "http://" + page.Addr().String() + "/", err
}

// Package app puts the use cases together: one service for each area of the work, connected to those it calls.
package app

import (
	"log/slog"
	"time"

	"github.com/alexedwards/argon2id"

	"rubricon/app/account"
	"rubricon/app/background"
	appcaseload "rubricon/app/caseload"
	appcatalog "rubricon/app/catalog"
	"rubricon/app/imports"
	"rubricon/app/messages"
	"rubricon/app/office"
	"rubricon/app/people"
	"rubricon/app/schedule"
	"rubricon/app/seats"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/store"
)

// App is the use cases by area. It holds nothing that cannot be read again, so any number may run side by
// side; Messages.Live lets them hear of each other's changes.
type App struct {
	Account    *account.Service
	Background *background.Service
	Caseload   *appcaseload.Service
	Catalog    *appcatalog.Service
	Imports    *imports.Service
	Messages   *messages.Service
	Office     *office.Service
	People     *people.Service
	Schedule   *schedule.Service
	Seats      *seats.Service
	Sheet      *appsheet.Service
}

// Options say how the use cases run; the zero value is for production.
type Options struct {
	Now    func() time.Time // nil: the clock
	Log    *slog.Logger     // nil: slog's default
	Hashes argon2id.Params  // of new passwords; zero: the second recommendation of RFC 9106
	NoPost bool             // no one gets mail about what is done
	Hooks  messages.Hooks   // how other systems are told; without a key they are not

	Attendance seats.Attendance // the system that keeps attendance; nil: none is connected

	AtHash func() // called before each password is hashed or compared; nil: nothing is. Tests hold those who sign in with it.

	FirstPasswordsStay bool // a password that comes with a school's data need not be changed: for made-up schools alone
}

// New connects the areas on a database.
func New(db *store.DB, o Options) *App {
	if o.Now == nil {
		o.Now = time.Now
	}
	if o.Log == nil {
		o.Log = slog.Default()
	}
	base := schoolyear.Base{DB: db, Now: o.Now, Log: o.Log, Years: schoolyear.New(db)}
	a := &App{
		Account:    account.New(base, account.Options{Hashes: o.Hashes, AtHash: o.AtHash}),
		Background: background.New(base),
		Caseload:   appcaseload.New(base),
		Catalog:    appcatalog.New(base),
		Imports:    imports.New(base, imports.Options{FirstPasswordsStay: o.FirstPasswordsStay}),
		Messages:   messages.New(base, messages.Options{NoPost: o.NoPost, Hooks: o.Hooks}),
		Office:     office.New(base),
		People:     people.New(base),
		Schedule:   schedule.New(base, schedule.Options{NoPost: o.NoPost}),
		Seats:      seats.New(base, seats.Options{NoPost: o.NoPost, Attendance: o.Attendance}),
		Sheet:      appsheet.New(base),
	}
	a.Account.Connect(account.Ports{Messages: a.Messages})
	a.Caseload.Connect(appcaseload.Ports{Messages: a.Messages, People: a.People, Sheet: a.Sheet})
	a.Catalog.Connect(appcatalog.Ports{Messages: a.Messages, Sheet: a.Sheet})
	a.Imports.Connect(imports.Ports{Account: a.Account, Office: a.Office, People: a.People, Seats: a.Seats})
	a.Messages.Connect(messages.Ports{Sheet: a.Sheet})
	a.People.Connect(people.Ports{Messages: a.Messages, Schedule: a.Schedule, Seats: a.Seats, Sheet: a.Sheet})
	a.Schedule.Connect(schedule.Ports{Background: a.Background, Messages: a.Messages, Seats: a.Seats, Sheet: a.Sheet})
	a.Seats.Connect(seats.Ports{Messages: a.Messages, Schedule: a.Schedule, Sheet: a.Sheet})
	a.Sheet.Connect(appsheet.Ports{Messages: a.Messages, People: a.People})
	a.Messages.CountSeats(a.Seats.CountLeft)
	a.Background.Handle("import", a.Imports.RunImport)
	a.Background.Handle("export", a.Imports.RunExport)
	a.Background.Handle("place", a.Schedule.RunPlace)
	a.Background.Handle("help", a.Schedule.RunHelp)
	return a
}

package account

import (
	"time"
)

// MeView is who is signed in.
type MeView struct {
	Username string       `json:"username" doc:"Empty: nobody is signed in"`
	Language string       `json:"language,omitempty" doc:"That the account has chosen"`
	Once     bool         `json:"once,omitempty" doc:"Signed in with a password for one sign-in: another is to be chosen before anything else"`
	Second   string       `json:"second,omitempty" enum:"ask,make" doc:"The second step of signing in that is still to be done: answer with a passkey, or make one; nobody is shown until then"`
	Persons  []PersonView `json:"persons" doc:"One for each school the account is somebody in"`
}

// PersonView is someone's part in one school.
type PersonView struct {
	School   string      `json:"school"`
	Name     string      `json:"name" doc:"The school's name"`
	ID       string      `json:"id"`
	Given    string      `json:"given"`
	Family   string      `json:"family"`
	Job      string      `json:"job" enum:"student,family,counselor,office,teacher" doc:"What the person comes for"`
	Language string      `json:"language,omitempty"`
	Year     int         `json:"year" doc:"The school year that concerns the person now"`
	Years    []int       `json:"years" doc:"All there are, the newest first"`
	Children []ChildView `json:"children" doc:"Of a guardian"`
	Seats    bool        `json:"seats,omitempty" doc:"Of the school: seats are chosen in that year"`
}

// ChildView is a guardian's child.
type ChildView struct {
	ID     string `json:"id"`
	Given  string `json:"given"`
	Family string `json:"family"`
	Grade  int    `json:"grade" doc:"The grade entered in that year"`
	Year   int    `json:"year" doc:"The school year that concerns the child now"`
	Years  []int  `json:"years"`
}

// FoundView is a person found by name.
type FoundView struct {
	ID       string     `json:"id"`
	Given    string     `json:"given"`
	Family   string     `json:"family"`
	Role     string     `json:"role"`
	Username string     `json:"username"`
	Password bool       `json:"password" doc:"Has one"`
	Once     bool       `json:"once,omitempty" doc:"It is for one sign-in, and was not used yet"`
	Right    string     `json:"right,omitempty" enum:"import,office" doc:"Administers the school: by the school’s data, or by what the office has given"`
	SeenAt   *time.Time `json:"seenAt,omitempty" doc:"Signed in and seen then, where that is not over"`
	Leads    []string   `json:"leads,omitempty" doc:"The codes of the courses that the office has given them to lead"`
}

// SignInView is a try to sign in.
type SignInView struct {
	At    time.Time `json:"at"`
	Done  bool      `json:"done" doc:"false: the password was wrong"`
	Agent string    `json:"agent" doc:"The browser, as it calls itself"`
}

// OfficeAct is something that the office has done.
type OfficeAct struct {
	At     time.Time `json:"at"`
	By     string    `json:"by"`
	Kind   string    `json:"kind" enum:"code,codes,give,take,lead,noLead,window,noWindow,import,export,rules,courses,batch,place,help,passkeys,second,noSecond"`
	About  string    `json:"about" doc:"Whom or what it concerns"`
	Reason string    `json:"reason,omitempty"`
}

// SessionView is one sign-in of one's own account.
type SessionView struct {
	ID      string    `json:"id"`
	Agent   string    `json:"agent" doc:"The browser, as it calls itself"`
	BegunAt time.Time `json:"begunAt"`
	SeenAt  time.Time `json:"seenAt" doc:"To within five minutes"`
	Here    bool      `json:"here" doc:"This one"`
}

// Welcome is what the sign-in page shows.
type Welcome struct {
	Demo   []DemoSignIn   `json:"demo" doc:"The demo's sign-ins; empty elsewhere"`
	Mail   string         `json:"mail,omitempty" doc:"Where the demo shows the mails it has sent"`
	SignOn []SignOnChoice `json:"signOn,omitempty" doc:"The schools' own accounts by which their people can sign in"`
}

// DemoSignIn is a sign-in of the demo school.
type DemoSignIn struct {
	Username string `json:"username"`
	Password string `json:"password"`
	Who      string `json:"who"`
}

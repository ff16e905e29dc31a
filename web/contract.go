package web

import (
	"time"

	"rubricon/core/credit"
)

// The contract: what the interface says in JSON. It holds codes, amounts and names; sentences are made where they are read.

// Catalog is the part of a school year that is the same for everybody.
type Catalog struct {
	School  string        `json:"school"`
	Name    string        `json:"name"`
	Year    int           `json:"year" doc:"The calendar year in which the school year begins"`
	Label   string        `json:"label" doc:"The school year, such as 2027-28"`
	Version string        `json:"version"`
	Periods credit.Amount `json:"periods" doc:"Periods a day"`
	Terms   []string      `json:"terms" doc:"Short names, in order"`
	Courses []Course      `json:"courses"`
	Rules   []Rule        `json:"rules"`
	Audits  []AuditHead   `json:"audits"`

	Language    string           `json:"language" doc:"The school's language, in which texts are where they are not in the one asked for"`
	Languages   []string         `json:"languages" doc:"Those offered to families"`
	Zone        string           `json:"zone" doc:"IANA time zone of the school"`
	Currency    string           `json:"currency" doc:"Of fees, ISO 4217"`
	Unit        *Unit            `json:"unit,omitempty" doc:"What the school calls its credits, where it has a name of its own"`
	Exchange    bool             `json:"exchange" doc:"Whether a family may exchange what the school has assigned and not fixed"`
	Contacts    []Contact        `json:"contacts" doc:"Whom to ask"`
	Stages      []Stage          `json:"stages" doc:"What happens when"`
	Welcome     []WelcomeWords   `json:"welcome" doc:"The school's own words, by grade"`
	Commitments []CommitmentText `json:"commitments"`
	Errands     []ErrandText     `json:"errands"`
}

// Unit is a word for a unit, for one and for several.
type Unit struct {
	One   string `json:"one"`
	Other string `json:"other"`
}

// Contact is somebody to ask.
type Contact struct {
	For   string `json:"for" enum:"courses,readiness,technical"`
	Name  string `json:"name,omitempty"`
	Phone string `json:"phone,omitempty"`
	Mail  string `json:"mail,omitempty"`
	Book  string `json:"book,omitempty" doc:"An https address where a meeting can be booked"`
}

// Stage is what happens when.
type Stage struct {
	From string `json:"from" doc:"A date, or a date and time, in the school's time zone"`
	Text string `json:"text"`
}

// WelcomeWords are the school's own words for grades.
type WelcomeWords struct {
	Grades []int  `json:"grades" doc:"Empty: every grade"`
	Text   string `json:"text"`
}

// CommitmentText is what is agreed to.
type CommitmentText struct {
	ID   string `json:"id"`
	Text string `json:"text"`
}

// ErrandText is what the choice of a course brings with it outside the sheet.
type ErrandText struct {
	Kind    string   `json:"kind" enum:"test,audition,application,form,meeting,other"`
	Title   string   `json:"title"`
	Due     string   `json:"due,omitempty" doc:"A date, or a date and time, in the school's time zone"`
	Place   string   `json:"place,omitempty"`
	Note    string   `json:"note,omitempty"`
	Becomes []string `json:"becomes,omitempty" doc:"On a placeholder: the courses of which one replaces it"`
}

// Course is a course as people see it.
type Course struct {
	Code        string        `json:"code"`
	Title       string        `json:"title"`
	Subject     string        `json:"subject" doc:"The subject area"`
	Subjects    []string      `json:"subjects"`
	Grades      []int         `json:"grades" doc:"Empty: every grade"`
	Credits     credit.Amount `json:"credits"`
	Load        credit.Amount `json:"load" doc:"Periods a day while it meets"`
	Spans       [][]int       `json:"spans" doc:"The alternatives for when it meets, each the positions of its terms"`
	VariantOf   string        `json:"variantOf,omitempty"`
	Links       []string      `json:"links,omitempty"`
	LeadsTo     []string      `json:"leadsTo,omitempty"`
	Tags        []string      `json:"tags,omitempty"`
	Fee         credit.Amount `json:"fee,omitempty"`
	Description string        `json:"description,omitempty"`
	Note        string        `json:"note,omitempty"`
	Entry       string        `json:"entry,omitempty" doc:"Its entry condition, in the condition language"`
	Summer      bool          `json:"summer,omitempty" doc:"Of the summer round"`
	Words       []string      `json:"words,omitempty" doc:"Everyday words for it"`
	Usual       []int         `json:"usual,omitempty" doc:"The grades in which it is the usual course of its subject"`
}

// Rule is a rule of the policy as people see it.
type Rule struct {
	ID      string   `json:"id"`
	Label   string   `json:"label"`
	On      string   `json:"on" enum:"requests,alternates,both,earned,taken,summer"`
	Measure string   `json:"measure" enum:"courses,credits,load"`
	Stance  string   `json:"stance" enum:"block,acknowledge,advise"`
	Courses []string `json:"courses" doc:"The courses it counts; empty: all"`
}

// AuditHead names a list of requirements and its entries.
type AuditHead struct {
	ID      string       `json:"id"`
	Label   string       `json:"label"`
	Entries []AuditLabel `json:"entries"`
}

// AuditLabel names one requirement.
type AuditLabel struct {
	ID    string `json:"id"`
	Label string `json:"label"`
}

// SheetView is a whole judged sheet: what is asked for, what the school will check, what is still to do, and what the reader may do.
type SheetView struct {
	School    string       `json:"school"`
	Year      int          `json:"year"`
	Student   Student      `json:"student"`
	Version   int64        `json:"version"`
	Judged    string       `json:"judged" doc:"The versions it was judged by; another sheet version or another of these may have other effects"`
	Beyond    bool         `json:"beyond,omitempty" doc:"It is beyond the limits of judging: nothing was found of it"`
	Status    Status       `json:"status"`
	Acts      Acts         `json:"acts"`
	Requests  []Entry      `json:"requests"`
	Alternate []Entry      `json:"alternates"`
	Summer    []Entry      `json:"summer" doc:"Requests for the summer"`
	Errands   []Errand     `json:"errands" doc:"What the courses on the sheet bring with them, by date"`
	Agree     Agree        `json:"agree" doc:"What is to be agreed to, one by one"`
	Rules     []RuleState  `json:"rules" doc:"Those in force, in the policy's order"`
	Packing   Packing      `json:"packing"`
	Todo      []Todo       `json:"todo" doc:"What keeps the sheet from being submitted or cleared"`
	Audits    []AuditState `json:"audits"`
	Fees      []string     `json:"fees" doc:"The requested courses that have a fee"`
}

// Errand is one that concerns the student.
type Errand struct {
	Errand     int    `json:"errand" doc:"Its place among the catalog's"`
	Course     string `json:"course"`
	Settled    bool   `json:"settled"`
	By         string `json:"by,omitempty" doc:"Who says so"`
	ReplacedBy string `json:"replacedBy,omitempty"`
}

// Agree are the ids of the commitments that concern a sheet.
type Agree struct {
	Student  []string `json:"student" doc:"On submitting"`
	Guardian []string `json:"guardian" doc:"On signing"`
}

// Student is whose sheet it is.
type Student struct {
	ID        string `json:"id"`
	Given     string `json:"given"`
	Family    string `json:"family"`
	Grade     int    `json:"grade" doc:"The grade being entered"`
	Counselor string `json:"counselor,omitempty"`
	Guardians int    `json:"guardians" doc:"How many are on file"`
}

// Acts says of each act on a sheet whether the reader may do it.
type Acts struct {
	Edit     Act `json:"edit"`
	Undo     Act `json:"undo"`
	Submit   Act `json:"submit"`
	Sign     Act `json:"sign"`
	Ask      Act `json:"ask"`
	Look     Act `json:"look"`
	Decide   Act `json:"decide"`
	SendBack Act `json:"sendBack"`
	Clear    Act `json:"clear"`
	Reopen   Act `json:"reopen"`
}

// Act is whether an act is allowed.
type Act struct {
	Allowed bool   `json:"allowed"`
	Why     string `json:"why,omitempty" doc:"Why it is not allowed: a code of problems"`
	Reason  bool   `json:"reason,omitempty" doc:"It needs a reason, which is kept"`
}

// Status is the one truthful state of a sheet.
type Status struct {
	State       string      `json:"state" enum:"inProgress,sentBack,submitted,signed,cleared,placed"`
	Changed     bool        `json:"changed" doc:"Changed since it was submitted: the school still has what was submitted"`
	HandedIn    bool        `json:"handedIn" doc:"The school has what is on the sheet"`
	Next        string      `json:"next" doc:"What comes next" enum:"noWindow,opens,inProgress,sentBack,look,submitNow,changed,submitted,noGuardian,signOnPaper,signed,cleared,placed,closedMayAsk,closed"`
	KeptAt      *time.Time  `json:"keptAt,omitempty"`
	SubmittedAt *time.Time  `json:"submittedAt,omitempty"`
	Receipt     string      `json:"receipt,omitempty"`
	Signatures  []Signature `json:"signatures" doc:"Under what was submitted"`
	ClearedAt   *time.Time  `json:"clearedAt,omitempty"`
	Message     string      `json:"message,omitempty" doc:"Why it was sent back"`
	Asked       string      `json:"asked,omitempty" doc:"What the family asks to change"`
	Window      *Window     `json:"window,omitempty" doc:"Absent where the school has set none"`
}

// Signature is one under what was submitted.
type Signature struct {
	Name      string    `json:"name"`
	At        time.Time `json:"at"`
	ForFamily bool      `json:"forFamily,omitempty" doc:"Recorded by somebody of the school"`
}

// Window is when a sheet is open.
type Window struct {
	Opens      time.Time `json:"opens"`
	Families   time.Time `json:"families" doc:"Closes for students and families"`
	Counselors time.Time `json:"counselors" doc:"Closes for counselors"`
	Zone       string    `json:"zone" doc:"IANA time zone in which the school reads these times"`
}

// Entry is a course on the sheet.
type Entry struct {
	Course     string   `json:"course"`
	Rank       int      `json:"rank"`
	StandsFor  string   `json:"standsFor,omitempty"`
	Terms      []int    `json:"terms" doc:"Positions of the terms it is laid into"`
	Mark       string   `json:"mark" enum:"settled,half,stopped" doc:"half: counts once a course now being taken is finished; stopped: until a person decides or it is changed"`
	Gone       bool     `json:"gone,omitempty" doc:"The catalog has it no longer"`
	Entry      string   `json:"entry" enum:"none,unmet,unverified,expected,met"`
	Needs      []Proof  `json:"needs,omitempty" doc:"Its entry condition, leaf by leaf, with the evidence"`
	WaivedBy   string   `json:"waivedBy,omitempty"`
	WaivedNote string   `json:"waivedNote,omitempty" doc:"Why, in their words"`
	Repeat     bool     `json:"repeat,omitempty"`
	Barred     bool     `json:"barred,omitempty"`
	Retake     bool     `json:"retake,omitempty"`
	Assigned   bool     `json:"assigned,omitempty"`
	Fixed      bool     `json:"fixed,omitempty"`
	Recommends string   `json:"recommends,omitempty" doc:"Who recommends it"`
	Covered    bool     `json:"covered,omitempty" doc:"If it cannot be given, the year still holds"`
	Mend       []string `json:"mend,omitempty" doc:"The alternates that would then come in"`
	Short      []string `json:"short,omitempty" doc:"The rules that would then not hold"`
	Saves      []string `json:"saves,omitempty" doc:"An alternate: the requests it would come in for"`
	Claims     []Claim  `json:"claims,omitempty"`
	Exchange   []string `json:"exchange,omitempty" doc:"Courses it may be exchanged for"`
}

// Need is one thing an entry condition asks for.
type Need struct {
	Kind  string         `json:"kind" enum:"passed,alongside,grade,score,recommended,permission,program,credits"`
	Name  string         `json:"name,omitempty" doc:"A course code, or the name of a score, permission, program or subject"`
	Title string         `json:"title,omitempty" doc:"Where the name is a course of the catalog"`
	At    *credit.Amount `json:"at,omitempty"`
}

// Proof is one need with what it rests on.
type Proof struct {
	Need
	Verdict string         `json:"verdict" enum:"unmet,unverified,expected,met"`
	Open    bool           `json:"open,omitempty" doc:"It keeps the condition from holding"`
	Mark    *credit.Amount `json:"mark,omitempty"`
	Year    string         `json:"year,omitempty"`
	Outcome string         `json:"outcome,omitempty"`
	From    string         `json:"from,omitempty" doc:"The title of the course on record"`
	Code    string         `json:"code,omitempty" doc:"Its code"`
	By      string         `json:"by,omitempty" doc:"Who says so"`
	Value   *credit.Amount `json:"value,omitempty"`
}

// Claim is a family's statement that something is met elsewhere.
type Claim struct {
	ID     int64  `json:"id"`
	Course string `json:"course,omitempty"`
	Name   string `json:"name,omitempty"`
	By     string `json:"by,omitempty"`
	Note   string `json:"note,omitempty"`
}

// RuleState is a rule in force with its measure.
type RuleState struct {
	ID       string         `json:"id"`
	Measured credit.Amount  `json:"measured"`
	Min      *credit.Amount `json:"min,omitempty"`
	Max      *credit.Amount `json:"max,omitempty"`
	Holds    bool           `json:"holds"`
}

// Packing is how the requests are laid into the terms.
type Packing struct {
	Fits     bool            `json:"fits"`
	Overload credit.Amount   `json:"overload"`
	Loads    []credit.Amount `json:"loads" doc:"Periods a day, by term"`
	Fill     []string        `json:"fill,omitempty" doc:"Where it does not fit: the fewest requests that overfill a term"`
}

// Todo is one thing still to do.
type Todo struct {
	Kind    string        `json:"kind" enum:"ruleShort,ruleOver,entry,link,repeat,barred,overload,gone,beyond"`
	Rule    string        `json:"rule,omitempty"`
	Course  string        `json:"course,omitempty"`
	Needs   string        `json:"needs,omitempty"`
	Waits   bool          `json:"waits,omitempty" doc:"For a person of the school: the family need not mend it"`
	Verdict string        `json:"verdict,omitempty"`
	Amount  credit.Amount `json:"amount,omitempty"`
}

// AuditState is one list of requirements.
type AuditState struct {
	ID      string       `json:"id"`
	Entries []AuditEntry `json:"entries"`
}

// AuditEntry is how far one requirement is.
type AuditEntry struct {
	ID         string        `json:"id"`
	Need       credit.Amount `json:"need"`
	Earned     credit.Amount `json:"earned"`
	InProgress credit.Amount `json:"inProgress"`
	Requested  credit.Amount `json:"requested"`
	Short      credit.Amount `json:"short"`
	Late       bool          `json:"late,omitempty"`
}

// EffectsView is what adding each course would do to a sheet in one version of it.
type EffectsView struct {
	Version int64      `json:"version" doc:"The version of the sheet"`
	Effects []Effect   `json:"effects" doc:"For each course not requested"`
	Mends   []RuleMend `json:"mends" doc:"For each rule that does not hold and that some course would mend"`
	Room    []int      `json:"room" doc:"By term: how many courses could be put there and break no rule"`
}

// RuleMend is what would mend a rule that does not hold.
type RuleMend struct {
	Rule    string   `json:"rule"`
	Courses []string `json:"courses" doc:"At most 12, best first"`
}

// Effect is what adding a course would do.
type Effect struct {
	Course      string       `json:"course"`
	Refused     string       `json:"refused,omitempty" doc:"Why requesting it would be refused: a code of problems"`
	Offered     bool         `json:"offered,omitempty" doc:"Offered to the grade being entered"`
	Entry       string       `json:"entry" enum:"none,unmet,unverified,expected,met"`
	Missing     []Need       `json:"missing,omitempty"`
	Barred      bool         `json:"barred,omitempty"`
	Earned      bool         `json:"earned,omitempty"`
	Repeat      bool         `json:"repeat,omitempty"`
	Retake      bool         `json:"retake,omitempty"`
	OK          bool         `json:"ok,omitempty" doc:"It could be submitted, as far as the course itself goes"`
	Shown       bool         `json:"shown,omitempty" doc:"It could be submitted, or asks for a word that somebody may give"`
	Terms       []int        `json:"terms"`
	Fits        bool         `json:"fits,omitempty"`
	Fill        []string     `json:"fill,omitempty"`
	Swaps       []string     `json:"swaps,omitempty"`
	With        []string     `json:"with,omitempty"`
	Rules       []RuleChange `json:"rules,omitempty"`
	Recommended bool         `json:"recommended,omitempty"`
	Weight      int          `json:"weight" doc:"For putting courses in order: the greatest is the most useful"`
}

// RuleChange is a rule whose result an addition changes.
type RuleChange struct {
	Rule string        `json:"rule"`
	From credit.Amount `json:"from"`
	To   credit.Amount `json:"to"`
	Does string        `json:"does" enum:"completes,breaks,nearer"`
}

// HistoryItem is one thing that happened to a sheet.
type HistoryItem struct {
	Version int64     `json:"version"`
	At      time.Time `json:"at"`
	Actor   string    `json:"actor"`
	Kind    string    `json:"kind"`
	Act     string    `json:"act,omitempty"`
	Course  string    `json:"course,omitempty"`
	Message string    `json:"message,omitempty"`
	Answer  string    `json:"answer,omitempty"`
	Reason  string    `json:"reason,omitempty"`
}

// CaseloadView is a counselor's students by what they wait for.
type CaseloadView struct {
	School   string    `json:"school"`
	Year     int       `json:"year"`
	Name     string    `json:"name" doc:"The reader"`
	Mine     bool      `json:"mine" doc:"Only the reader's own students; false: the whole school"`
	Students []CaseRow `json:"students" doc:"Sorted by family name"`
}

// CaseRow is one student of a caseload.
type CaseRow struct {
	ID      string     `json:"id"`
	Given   string     `json:"given"`
	Family  string     `json:"family"`
	Grade   int        `json:"grade"`
	Stage   string     `json:"stage" enum:"notBegun,inProgress,withFamily,waiting,complete,cleared" doc:"Where the sheet is"`
	Reason  string     `json:"reason,omitempty" enum:"claim,asked,retake,unmet,tooComplex" doc:"waiting: for what"`
	Course  string     `json:"course,omitempty" doc:"The course it is about"`
	Text    string     `json:"text,omitempty" doc:"What the family says or asks"`
	Since   *time.Time `json:"since,omitempty"`
	Version int64      `json:"version"`
	Acts    CaseActs   `json:"acts"`
}

// CaseActs are the acts that the list offers for a line.
type CaseActs struct {
	Clear Act `json:"clear"`
}

// MeView is who is signed in.
type MeView struct {
	Username string       `json:"username" doc:"Empty: nobody is signed in"`
	Language string       `json:"language,omitempty" doc:"That the account has chosen"`
	Persons  []PersonView `json:"persons" doc:"One for each school the account is somebody in"`
}

// PersonView is somebody's part in one school.
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
	ID       string `json:"id"`
	Given    string `json:"given"`
	Family   string `json:"family"`
	Role     string `json:"role"`
	Username string `json:"username"`
	Password bool   `json:"password" doc:"Has one"`
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
	Demo []DemoSignIn `json:"demo" doc:"The demo's sign-ins; empty elsewhere"`
}

// DemoSignIn is a sign-in of the demo school.
type DemoSignIn struct {
	Username string `json:"username"`
	Password string `json:"password"`
	Who      string `json:"who"`
}

package sheet

import (
	"time"

	"rubricon/app/schedule"
	"rubricon/core/credit"
)

// The contract: what the interface says in JSON. It holds codes, amounts and names; sentences are made where
// they are read.

// SheetView is a whole judged sheet: what is asked for, what the school will check, what is still to do, and
// what the reader may do.
type SheetView struct {
	School    string          `json:"school"`
	Year      int             `json:"year"`
	Student   Student         `json:"student"`
	Draft     *DraftHead      `json:"draft,omitempty" doc:"It is a draft, and nothing that anybody can hand in"`
	Version   int64           `json:"version"`
	Judged    string          `json:"judged" doc:"The versions it was judged by; another sheet version or another of these may have other effects"`
	Beyond    bool            `json:"beyond,omitempty" doc:"It is beyond the limits of judging: nothing was found of it"`
	Status    Status          `json:"status"`
	Acts      Acts            `json:"acts"`
	Requests  []Entry         `json:"requests"`
	Alternate []Entry         `json:"alternates"`
	Summer    []Entry         `json:"summer" doc:"Requests for the summer"`
	Round     *Round          `json:"round,omitempty" doc:"The summer round, where it has a window of its own and is handed in by itself"`
	Errands   []Errand        `json:"errands" doc:"What the courses on the sheet bring with them, by date"`
	Agree     Agree           `json:"agree" doc:"What is to be agreed to, one by one"`
	Rules     []RuleState     `json:"rules" doc:"Those in force, in the policy's order"`
	Packing   Packing         `json:"packing"`
	Todo      []Todo          `json:"todo" doc:"What keeps the sheet from being submitted or cleared"`
	Audits    []AuditState    `json:"audits"`
	Fees      []string        `json:"fees" doc:"The requested courses that have a fee"`
	Clash     []string        `json:"clash,omitempty" doc:"The smallest set of requests that no choice of sections gives together, seats aside"`
	Placed    *schedule.Shown `json:"placed,omitempty" doc:"What was given and what was not, once it is published"`
	Talk      []string        `json:"talk,omitempty" doc:"The courses that the family has said something about to each other; empty: the whole"`
	Shown     bool            `json:"shown,omitempty" doc:"Some draft is shown to the family"`
	Undoes    *Trace          `json:"undoes,omitempty" doc:"What undoing would take back, where it is known"`
	Voids     *Voids          `json:"voids,omitempty" doc:"What changing takes back; absent: nothing"`
	Next      NextAlternate   `json:"nextAlternate" doc:"What one more alternate would be"`
	Only      []OnlyAnswer    `json:"only,omitempty" doc:"On a sheet nobody has worked on: what the reader may have filled in, since nothing else would do"`
}

// Voids tells which changes take back what the school has, so that it has to be submitted once more.
type Voids struct {
	Year   bool `json:"year,omitempty" doc:"Of a request of the year, or of an alternate"`
	Summer bool `json:"summer,omitempty" doc:"Of a request for the summer"`
}

// NextAlternate is what one more alternate would be.
type NextAlternate struct {
	Rank int            `json:"rank"`
	Most *credit.Amount `json:"most,omitempty" doc:"It would be beyond this maximum of a rule"`
}

// Trace is an edit that was made.
type Trace struct {
	Act     string    `json:"act" enum:"request,alternate,remove,order,replace,takeOver,fill,useDraft,restore"`
	Course  string    `json:"course,omitempty"`
	Instead string    `json:"instead,omitempty"`
	At      time.Time `json:"at"`
}

// DraftHead names a draft.
type DraftHead struct {
	ID    int64      `json:"id"`
	Name  string     `json:"name"`
	At    time.Time  `json:"at" doc:"When it was changed"`
	Shown *time.Time `json:"shown,omitempty" doc:"Since when it is shown to the family"`
	Said  int        `json:"said,omitempty" doc:"How much the family has said about it to each other"`
}

// OnlyAnswer is the one course that a rule can be answered with.
type OnlyAnswer struct {
	Rule   string `json:"rule"`
	Course string `json:"course"`
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

	Acknowledge []Acknowledgement `json:"acknowledge" doc:"By the student, on submitting: what holds nothing up and is to be known"`
}

// Acknowledgement is a rule that does not hold, or a course whose condition is not met.
type Acknowledgement struct {
	ID     string `json:"id" doc:"To be named among what is agreed to"`
	Rule   string `json:"rule,omitempty"`
	Course string `json:"course,omitempty"`
	Taking bool   `json:"taking,omitempty" doc:"The course is being taken now, and would not count again"`
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
	Redo     Act `json:"redo"`
	Submit   Act `json:"submit"`
	Sign     Act `json:"sign"`
	Ask      Act `json:"ask"`
	Look     Act `json:"look"`
	Decide   Act `json:"decide"`
	SendBack Act `json:"sendBack"`
	Approve  Act `json:"clear"`
	Reopen   Act `json:"reopen"`
	Plan     Act `json:"plan"`

	EditSummer   Act `json:"editSummer"`
	SubmitSummer Act `json:"submitSummer"`
}

// Act is whether an act is allowed.
type Act struct {
	Allowed bool   `json:"allowed"`
	Why     string `json:"why,omitempty" doc:"Why it is not allowed: a code of problems"`
	Reason  bool   `json:"reason,omitempty" doc:"It needs a reason, which is kept"`
}

// Status is the one truthful state of a sheet.
type Status struct {
	State          string          `json:"state" enum:"inProgress,sentBack,submitted,signed,cleared,placed"`
	Stood          string          `json:"stood" enum:"inProgress,submitted,signed,cleared,placed,sentBack" doc:"How far the requests have come: the state; of what is placed, the one in which it was"`
	Started        bool            `json:"started" doc:"The family has begun: somebody of it has worked on the requests, or has submitted them"`
	Changed        bool            `json:"changed" doc:"Changed since it was submitted: the school still has what was submitted"`
	Since          *Since          `json:"since,omitempty" doc:"What is different from what was submitted, where something is"`
	HandedIn       bool            `json:"handedIn" doc:"The school has what is on the sheet"`
	Next           string          `json:"next" doc:"What comes next" enum:"noWindow,opens,inProgress,sentBack,look,submitNow,changed,submitted,noGuardian,signOnPaper,signed,cleared,placed,closedMayAsk,closed"`
	KeptAt         *time.Time      `json:"keptAt,omitempty"`
	SubmittedAt    *time.Time      `json:"submittedAt,omitempty"`
	Receipt        string          `json:"receipt,omitempty"`
	Signatures     []Signature     `json:"signatures" doc:"Under what was submitted"`
	ClearedAt      *time.Time      `json:"clearedAt,omitempty"`
	Message        string          `json:"message,omitempty" doc:"Why it was sent back"`
	About          []string        `json:"about,omitempty" doc:"The courses that the message is about"`
	Answered       bool            `json:"answered,omitempty" doc:"The school has answered something that was asked or said about the requests"`
	Reminded       *time.Time      `json:"reminded,omitempty" doc:"When the school last reminded of something"`
	ChangeRequests []ChangeRequest `json:"changeRequests" doc:"What people of the family ask to change, and who refuses to sign: what is open, and the latest that was answered"`
	Window         *Window         `json:"window,omitempty" doc:"Absent where the school has set none"`
	Seats          *SeatTime       `json:"seats,omitempty" doc:"Where the student chooses seats in the finished master schedule"`
}

// Since is what is different on a sheet from what was submitted.
type Since struct {
	Asked   []string `json:"asked,omitempty" doc:"Requests that have come"`
	Dropped []string `json:"dropped,omitempty" doc:"Requests that have gone"`
	Backup  []string `json:"backup,omitempty" doc:"Alternates that have come"`
	Spared  []string `json:"spared,omitempty" doc:"Alternates that have gone"`
	Order   bool     `json:"order,omitempty" doc:"What has stayed is in another order"`
	Ties    bool     `json:"ties,omitempty" doc:"Alternates stand in for others"`
}

// ChangeRequest is what one person of the family asks to change, or that a guardian refuses to sign.
type ChangeRequest struct {
	ID         int64      `json:"id"`
	By         string     `json:"by,omitempty" doc:"Who made it; absent where that was not kept"`
	Own        bool       `json:"own,omitempty" doc:"The reader has made it"`
	Kind       string     `json:"kind" enum:"ask,decline"`
	Course     string     `json:"course,omitempty" doc:"The course that it is about"`
	Text       string     `json:"text"`
	At         time.Time  `json:"at"`
	Open       bool       `json:"open,omitempty" doc:"Neither answered nor withdrawn"`
	Answer     string     `json:"answer,omitempty"`
	AnsweredBy string     `json:"answeredBy,omitempty"`
	AnsweredAt *time.Time `json:"answeredAt,omitempty"`
}

// Signature is one under what was submitted.
type Signature struct {
	Name      string    `json:"name"`
	At        time.Time `json:"at"`
	ForFamily bool      `json:"forFamily,omitempty" doc:"Recorded by somebody of the school"`
	PaperBy   string    `json:"paperBy,omitempty" doc:"Given on the printed sheet: who has recorded it"`
}

// Round is the summer round.
type Round struct {
	Window  Window     `json:"window"`
	Phase   string     `json:"phase" enum:"before,open,late,over"`
	Counts  bool       `json:"counts" doc:"What is requested for the summer counts for the year"`
	Handed  bool       `json:"handed" doc:"The school has what is requested for the summer"`
	Receipt string     `json:"receipt,omitempty" doc:"Of what was last handed in"`
	At      *time.Time `json:"at,omitempty" doc:"When that was"`
	Had     []string   `json:"had,omitempty" doc:"What was handed in, where it is no longer what is requested"`
}

// Window is when a sheet is open.
type Window struct {
	Opens      time.Time `json:"opens"`
	Families   time.Time `json:"families" doc:"Closes for students and families"`
	Counselors time.Time `json:"counselors" doc:"Closes for counselors"`
	Zone       string    `json:"zone" doc:"IANA time zone in which the school reads these times"`
}

// SeatTime is when seats are chosen in the finished master schedule.
type SeatTime struct {
	Window Window `json:"window"`
	Phase  string `json:"phase" enum:"before,open,late,over"`
}

// Entry is a course on the sheet.
type Entry struct {
	Course     string   `json:"course"`
	Rank       int      `json:"rank"`
	StandsFor  string   `json:"standsFor,omitempty"`
	Terms      []int    `json:"terms" doc:"Positions of the terms it is laid into"`
	Half       string   `json:"half,omitempty" doc:"The other half of a course that is requested as two, one after the other"`
	Mark       string   `json:"mark" enum:"settled,half,stopped" doc:"half: counts once a course now being taken is finished; stopped: until a person decides or it is changed"`
	Gone       bool     `json:"gone,omitempty" doc:"The catalog has it no longer"`
	Entry      string   `json:"entry" enum:"none,unmet,unverified,expected,met"`
	Needs      []Proof  `json:"needs,omitempty" doc:"Its entry condition, leaf by leaf, with the evidence"`
	WaivedBy   string   `json:"waivedBy,omitempty"`
	WaivedNote string   `json:"waivedNote,omitempty" doc:"Why, in their words"`
	Repeat     bool     `json:"repeat,omitempty"`
	Barred     bool     `json:"barred,omitempty"`
	Retake     bool     `json:"retake,omitempty"`
	Taking     bool     `json:"taking,omitempty" doc:"Being taken now: it would not count again"`
	Assigned   bool     `json:"assigned,omitempty"`
	AssignedBy string   `json:"assignedBy,omitempty" doc:"Who, where it is known"`
	OnlyFor    []string `json:"onlyFor,omitempty" doc:"The rules that no other course would answer"`
	Fixed      bool     `json:"fixed,omitempty"`
	Recommends string   `json:"recommends,omitempty" doc:"Who recommends it"`
	Covered    bool     `json:"covered,omitempty" doc:"If it cannot be given, the year still holds"`
	Mend       []string `json:"mend,omitempty" doc:"The alternates that would then come in"`
	Short      []string `json:"short,omitempty" doc:"The rules that would then not hold"`
	Saves      []string `json:"saves,omitempty" doc:"An alternate: the requests it would come in for"`
	Claims     []Claim  `json:"claims,omitempty"`
	Declined   []Claim  `json:"declined,omitempty" doc:"Claims about it that were declined, the latest last"`
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

	SchoolYear string `json:"schoolYear,omitempty" doc:"When it was met, as the family said"`
	Term       string `json:"term,omitempty"`
	Mark       string `json:"mark,omitempty"`

	File    string `json:"file,omitempty" doc:"The name of the file beside it, which the family and whoever decides may have"`
	Answer  string `json:"answer,omitempty" doc:"Of one that was declined: why"`
	Decider string `json:"decider,omitempty" doc:"Who declined it"`
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
	Over        string       `json:"over,omitempty" doc:"Where it would be above a maximum: the rule"`
	Possible    bool         `json:"possible,omitempty" doc:"It can be on the sheet at all, as a request or as an alternate"`
	Suggested   bool         `json:"suggested,omitempty" doc:"Somebody recommends it, and it can be requested and is no alternate"`
	Offered     bool         `json:"offered,omitempty" doc:"Offered to the grade being entered"`
	Entry       string       `json:"entry" enum:"none,unmet,unverified,expected,met"`
	Missing     []Need       `json:"missing,omitempty"`
	Barred      bool         `json:"barred,omitempty"`
	Earned      bool         `json:"earned,omitempty"`
	Repeat      bool         `json:"repeat,omitempty"`
	Retake      bool         `json:"retake,omitempty"`
	Taking      bool         `json:"taking,omitempty" doc:"Being taken now: it would not count again"`
	OK          bool         `json:"ok,omitempty" doc:"It could be submitted, as far as the course itself goes"`
	Shown       bool         `json:"shown,omitempty" doc:"It could be submitted, or asks for a word that somebody may give"`
	Terms       []int        `json:"terms"`
	Fits        bool         `json:"fits,omitempty"`
	Fill        []string     `json:"fill,omitempty"`
	Room        []string     `json:"room,omitempty" doc:"Where it does not fit: requests whose removal makes room, with the least harm; absent: no one or two of them do"`
	Swaps       []string     `json:"swaps,omitempty"`
	With        []string     `json:"with,omitempty"`
	Clash       []string     `json:"clash,omitempty" doc:"No choice of sections gives it together with these"`
	Rules       []RuleChange `json:"rules,omitempty"`
	Moves       []RuleMove   `json:"moves,omitempty" doc:"The rules beside those whose measure changes"`
	Recommended bool         `json:"recommended,omitempty"`
	Recommends  string       `json:"recommends,omitempty" doc:"Who recommends it, where it is known"`
	Weight      int          `json:"weight" doc:"For putting courses in order: the greatest is the most useful"`
}

// RuleChange is a rule whose result an addition changes.
type RuleChange struct {
	Rule string        `json:"rule"`
	From credit.Amount `json:"from"`
	To   credit.Amount `json:"to"`
	Does string        `json:"does" enum:"completes,breaks,nearer"`
}

// RuleMove is a rule whose measure an addition changes.
type RuleMove struct {
	Rule string        `json:"rule"`
	To   credit.Amount `json:"to"`
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
	Instead string    `json:"instead,omitempty"`
	Receipt string    `json:"receipt,omitempty" doc:"Of what was handed in"`
}

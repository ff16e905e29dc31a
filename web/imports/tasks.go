package imports

import (
	"context"
	"mime"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/app/background"
	schoolyear "rubricon/app/year"
	"rubricon/web/server"
)

// TaskView is work that takes long.
type TaskView struct {
	ID    int64     `json:"id"`
	Kind  string    `json:"kind" enum:"import,export,place,help"`
	Name  string    `json:"name" doc:"Of the file"`
	State string    `json:"state" enum:"waiting,running,asking,done,refused,stopped,failed"`
	By    string    `json:"by" doc:"Who started it"`
	At    time.Time `json:"at"`
	Ended time.Time `json:"ended,omitzero"`
	Step  string    `json:"step,omitempty" enum:"read,check,write"`
	Done  int       `json:"done" doc:"Of the step"`
	Total int       `json:"total" doc:"0: not known"`
	Stop  bool      `json:"stop" doc:"It has been asked to stop"`
	Acts  []string  `json:"acts" enum:"goOn,again,stop,file,leaveOut,bad,undo" doc:"What may be done with it"`

	Found TaskFound `json:"found"`
}

// TaskFound is what a task has found or done.
type TaskFound struct {
	Year     string        `json:"year,omitempty" doc:"Of the data, such as 2027-28"`
	Students int           `json:"students"`
	Tally    []TaskCount   `json:"tally" doc:"What changes, by kind; empty where nothing was compared"`
	Confirm  bool          `json:"confirm,omitempty" doc:"So much would go that the number must be said"`
	Removed  int           `json:"removed" doc:"That number: all kinds together, but what goes with people"`
	Files    []TaskFile    `json:"files"`
	Bad      int           `json:"bad" doc:"Rows that cannot be read"`
	Problems []TaskProblem `json:"problems" doc:"The first of them"`
	Policy   bool          `json:"policy,omitempty" doc:"The rules change"`
	Diffs    []TaskDiff    `json:"diffs" doc:"What changes, file by file; sheets and plans are left out"`
	Notices  []TaskProblem `json:"notices" doc:"Rows that can be read and should be looked at"`
	Kept     []string      `json:"kept" doc:"Students whose sheets were worked on here and stay as they are, the first of them"`
	KeptAll  int           `json:"keptAll"`
	Left     []string      `json:"left" doc:"Requests that no bundle can hold"`
	Why      string        `json:"why,omitempty" enum:"bad-rows,not-whole,not-zip,missing-file,unreadable,other-school,busy,broken"`
	What     string        `json:"what,omitempty"`
}

// TaskCount is how one kind changes.
type TaskCount struct {
	Kind    string `json:"kind" enum:"students,guardians,staff,courses,sections,enrollments,records,requests"`
	Added   int    `json:"added"`
	Changed int    `json:"changed"`
	Removed int    `json:"removed"`
	With    int    `json:"with" doc:"What goes with people who go"`
}

// TaskDiff is how a file differs from what is there.
type TaskDiff struct {
	Name    string        `json:"name"`
	New     int           `json:"new" doc:"Rows"`
	Changed int           `json:"changed"`
	Gone    int           `json:"gone"`
	Rows    []TaskDiffRow `json:"rows" doc:"The first of them"`
}

// TaskDiffRow is a row that is new, changed or gone.
type TaskDiffRow struct {
	Kind  string         `json:"kind" enum:"new,changed,gone"`
	Key   string         `json:"key"`
	Title string         `json:"title,omitempty"`
	Asked int            `json:"asked,omitempty" doc:"A course: how many request it"`
	Cells []TaskDiffCell `json:"cells"`
}

// TaskDiffCell is a cell that changes.
type TaskDiffCell struct {
	Column string `json:"column"`
	Was    string `json:"was"`
	Now    string `json:"now"`
}

// TaskFile is a file and how many rows it has.
type TaskFile struct {
	Name string `json:"name"`
	Rows int    `json:"rows"`
}

// TaskProblem is a row with what is wrong with it.
type TaskProblem struct {
	File   string `json:"file"`
	Line   int    `json:"line"`
	Column string `json:"column,omitempty"`
	What   string `json:"what"`
}

func newTask(t *background.Task) *TaskView {
	o := &t.Outcome
	v := &TaskView{ID: t.ID, Kind: t.Kind, Name: t.Name, State: string(t.State), By: t.ByName, At: t.MadeAt, Step: t.Step,
		Done: t.Done, Total: t.Total, Stop: t.Stop, Acts: []string{}}
	if t.EndedAt != nil {
		v.Ended = *t.EndedAt
	}
	for _, act := range t.Acts() {
		v.Acts = append(v.Acts, string(act))
	}
	v.Found = TaskFound{Students: o.Students, Tally: []TaskCount{}, Confirm: o.Confirm(), Files: []TaskFile{}, Bad: o.Bad,
		Problems: TaskProblems(o.Problems),
		Notices:  TaskProblems(o.Notices), Kept: append([]string{}, o.Kept...), KeptAll: o.KeptAll,
		Left: append([]string{}, o.Left...), Why: o.Why, What: o.What}
	if o.Tally != nil {
		v.Found.Removed = o.Tally.Sum().Removed
		for kind, c := range o.Tally {
			v.Found.Tally = append(v.Found.Tally, TaskCount{Kind: background.Kinds[kind], Added: c.Added, Changed: c.Changed,
				Removed: c.Removed, With: c.With})
		}
	}
	if o.Year != 0 {
		v.Found.Year = schoolyear.YearLabel(o.Year)
	}
	v.Found.Policy, v.Found.Diffs = o.Policy, []TaskDiff{}
	for _, d := range o.Diffs {
		diff := TaskDiff{Name: d.Name, New: d.New, Changed: d.Changed, Gone: d.Gone, Rows: []TaskDiffRow{}}
		for i, r := range d.Rows {
			row := TaskDiffRow{Kind: r.Kind, Key: r.Key, Title: r.Title, Cells: []TaskDiffCell{}}
			if i < len(d.Asked) {
				row.Asked = d.Asked[i]
			}
			for _, c := range r.Cells {
				row.Cells = append(row.Cells, TaskDiffCell(c))
			}
			diff.Rows = append(diff.Rows, row)
		}
		v.Found.Diffs = append(v.Found.Diffs, diff)
	}
	for _, f := range o.Files {
		v.Found.Files = append(v.Found.Files, TaskFile(f))
	}
	return v
}

// TaskProblems returns bad rows as the contract has them.
func TaskProblems(from []background.BadRow) []TaskProblem {
	out := []TaskProblem{}
	for _, p := range from {
		out = append(out, TaskProblem(p))
	}
	return out
}

type taskIn struct {
	server.InYear
	Task int64 `path:"task" minimum:"1"`
}

// taskRoutes are those of work that takes long.
func (s *Routes) taskRoutes(api huma.API) {
	type taskOut struct{ Body *TaskView }
	out := func(t *background.Task, err error) (*taskOut, error) {
		if err != nil {
			return nil, err
		}
		return &taskOut{newTask(t)}, nil
	}
	type tasksOut struct{ Body []*TaskView }
	server.SignedIn(s, api, server.Operation("get-tasks", http.MethodGet, server.YearPath+"/tasks",
		"The newest tasks of a school"), func(ctx context.Context, by int64, in *server.InYear) (*tasksOut, error) {
		tasks, err := s.cases.Background.Tasks(ctx, by, in.School, in.Year)
		if err != nil {
			return nil, err
		}
		all := &tasksOut{Body: []*TaskView{}}
		for _, t := range tasks {
			all.Body = append(all.Body, newTask(t))
		}
		return all, nil
	})
	type importIn struct {
		server.InYear
		Name    string `query:"name" minLength:"1" maxLength:"200" doc:"Of the file"`
		RawBody []byte `contentType:"application/zip"`
	}
	op := s.Upload(server.Operation("start-import", http.MethodPost, server.YearPath+"/imports",
		"Read and check a school bundle (a zip file); nothing changes before its task is told to go on"),
		background.MaxUpload, server.OfficeShare,
		func(ctx context.Context, by int64, at schoolyear.Place) error {
			return s.cases.Background.MayManageData(ctx, by, at.School, at.Year)
		})
	server.SignedIn(s, api, op, func(ctx context.Context, by int64, in *importIn) (*taskOut, error) {
		return out(s.cases.Background.StartImport(ctx, by, in.School, in.Year, in.Name, in.RawBody))
	})
	type exportIn struct {
		server.InYear
		Form string `query:"form" enum:"zip,xlsx" default:"zip" doc:"A bundle in a zip file, or a workbook with a sheet for each file"`
	}
	server.SignedIn(s, api, server.Operation("start-export", http.MethodPost, server.YearPath+"/exports",
		"Write the school year as a school bundle"), func(ctx context.Context, by int64, in *exportIn) (*taskOut, error) {
		return out(s.cases.Background.StartExport(ctx, by, in.School, in.Year, in.Form))
	})
	type consentIn struct {
		server.InYear
		Task     int64 `path:"task" minimum:"1"`
		Removals int   `query:"removals" minimum:"0" doc:"Where much would go: how much"`
	}
	server.SignedIn(s, api, server.Operation("go-on-with-task", http.MethodPost, server.YearPath+"/tasks/{task}/consent",
		"Say yes to what a task asks, or let one that was stopped or has failed begin again"),
		func(ctx context.Context, by int64, in *consentIn) (*taskOut, error) {
			return out(s.cases.Background.GoOnWithTask(ctx, by, in.School, in.Year, in.Task, in.Removals))
		})
	server.SignedIn(s, api, server.Operation("stop-task", http.MethodPost, server.YearPath+"/tasks/{task}/stop",
		"Stop a task; what it has written stays"), func(ctx context.Context, by int64, in *taskIn) (*taskOut, error) {
		return out(s.cases.Background.StopTask(ctx, by, in.School, in.Year, in.Task))
	})
	server.SignedIn(s, api, server.Operation("leave-out-bad-rows", http.MethodPost,
		server.YearPath+"/tasks/{task}/omission", "Read an import that was refused again, without its bad rows; it then asks as others do"),
		func(ctx context.Context, by int64, in *taskIn) (*taskOut, error) {
			return out(s.cases.Background.LeaveOutBadRows(ctx, by, in.School, in.Year, in.Task))
		})
	server.SignedIn(s, api, server.Operation("undo-import", http.MethodPost, server.YearPath+"/tasks/{task}/undo",
		"Begin to take in what was there before the last import"),
		func(ctx context.Context, by int64, in *taskIn) (*taskOut, error) {
			return out(s.cases.Background.UndoImport(ctx, by, in.School, in.Year, in.Task))
		})
}

// taskFileRoutes registers the files that tasks make.
func (s *Routes) taskFileRoutes(api huma.API) {
	type fileOut struct {
		ContentType        string `header:"Content-Type"`
		ContentDisposition string `header:"Content-Disposition"`
		Body               []byte
	}
	server.SignedIn(s, api, server.Gives(server.Operation("get-task-file", http.MethodGet,
		server.YearPath+"/tasks/{task}/file", "The file that a task has made"), "application/zip", background.Workbook),
		func(ctx context.Context, by int64, in *taskIn) (*fileOut, error) {
			name, content, err := s.cases.Background.TaskFile(ctx, by, in.School, in.Year, in.Task)
			if err != nil {
				return nil, err
			}
			kind := "application/zip"
			if strings.HasSuffix(name, ".xlsx") {
				kind = background.Workbook
			}
			return &fileOut{kind, mime.FormatMediaType("attachment", map[string]string{"filename": name}), content}, nil
		})
	type rowsOut struct {
		ContentType        string `header:"Content-Type"`
		ContentDisposition string `header:"Content-Disposition"`
		Body               []byte
	}
	server.SignedIn(s, api, server.Gives(server.Operation("get-bad-rows", http.MethodGet,
		server.YearPath+"/tasks/{task}/bad", "The rows that an import could not read, as CSV"), "text/csv"),
		func(ctx context.Context, by int64, in *taskIn) (*rowsOut, error) {
			content, err := s.cases.Background.BadRows(ctx, by, in.School, in.Year, in.Task)
			if err != nil {
				return nil, err
			}
			return &rowsOut{"text/csv; charset=utf-8",
				mime.FormatMediaType("attachment", map[string]string{"filename": "bad-rows.csv"}), content}, nil
		})
}

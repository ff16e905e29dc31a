package sheet

import (
	"context"
	"mime"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/core/credit"
	"rubricon/web/server"
)

type sheetOut struct{ Body *SheetView }

func sheetOf(d *appsheet.Desk, err error) (*sheetOut, error) {
	if err != nil {
		return nil, err
	}
	return &sheetOut{newSheet(d)}, nil
}

// sheetRoutes are those that read a sheet.
func (s *Routes) sheetRoutes(api huma.API) {
	type sheetIn struct {
		server.OnSheet
		Known string `header:"If-None-Match" maxLength:"200" doc:"The tag of the sheet as it is known; where that is what it still is, the answer is 304"`
	}
	type taggedOut struct {
		Status int
		Tag    string `header:"ETag"`
		Body   *SheetView
	}
	op := server.Operation("get-sheet", http.MethodGet, server.SheetPath, "A student's sheet, judged")
	op.Responses = map[string]*huma.Response{"304": {Description: "It is what is known"}, "default": server.Problems(api)}
	server.SignedIn(s, api, op, func(ctx context.Context, by int64, in *sheetIn) (*taggedOut, error) {
		d, err := s.cases.Sheet.Unless(ctx, by, in.Place(), func(tag string) bool { return in.Known == quoted(tag) })
		if err != nil {
			return nil, err
		}
		if d == nil {
			return &taggedOut{Status: http.StatusNotModified, Tag: in.Known}, nil
		}
		return &taggedOut{http.StatusOK, quoted(d.Tag()), newSheet(d)}, nil
	})
	type effectsIn struct {
		server.OnSheet
		Instead string `query:"instead" maxLength:"100" doc:"A requested course in whose place each would come"`
	}
	type effectsOut struct{ Body *EffectsView }
	server.SignedIn(s, api, server.Operation("get-effects", http.MethodGet, server.SheetPath+"/effects",
		"What adding each course would do to a sheet"),
		func(ctx context.Context, by int64, in *effectsIn) (*effectsOut, error) {
			e, err := s.cases.Sheet.Effects(ctx, by, in.Place(), in.Instead)
			if err != nil {
				return nil, err
			}
			return &effectsOut{newEffects(e)}, nil
		})
	type earlierIn struct {
		server.OnSheet
		Version int64 `path:"version" minimum:"1"`
	}
	server.SignedIn(s, api, server.Operation("get-earlier", http.MethodGet, server.SheetPath+"/versions/{version}",
		"A sheet as it was in an earlier version, judged by what is known now"),
		func(ctx context.Context, by int64, in *earlierIn) (*sheetOut, error) {
			d, err := s.cases.Sheet.Earlier(ctx, by, in.Place(), in.Version)
			return sheetOf(d, err)
		})
	type historyIn struct {
		server.OnSheet
		server.Paged
	}
	type historyOut struct{ Body []HistoryItem }
	server.SignedIn(s, api, server.Operation("get-history", http.MethodGet, server.SheetPath+"/history",
		"What happened to a sheet, the latest first, at most 100 at once"),
		func(ctx context.Context, by int64, in *historyIn) (*historyOut, error) {
			list, err := s.cases.Sheet.History(ctx, by, in.Place(), in.Skip)
			if err != nil {
				return nil, err
			}
			out := &historyOut{Body: []HistoryItem{}}
			for _, e := range list {
				out.Body = append(out.Body, HistoryItem{Version: e.Version, At: e.At, Actor: e.Who, Kind: e.Kind, Act: e.Act,
					Course: e.Course, Message: e.Message, Answer: e.Answer, Reason: e.Reason, Instead: e.Instead, Receipt: e.Receipt})
			}
			return out, nil
		})
}

// quoted writes a tag as HTTP has it (RFC 9110, section 8.8.3): in double quotes, which a person's id may have in it.
func quoted(tag string) string { return `"` + strings.ReplaceAll(tag, `"`, "'") + `"` }

// onSheet registers a route that acts on a sheet and answers with it.
func onSheet[B any](s *Routes, api huma.API, op huma.Operation,
	do func(ctx context.Context, by int64, at schoolyear.Place, body *B) (*appsheet.Desk, error)) {
	type in struct {
		server.OnSheet
		Body B
	}
	server.SignedIn(s, api, op, func(ctx context.Context, by int64, in *in) (*sheetOut, error) {
		d, err := do(ctx, by, in.Place(), &in.Body)
		return sheetOf(d, err)
	})
}

// Edit is one change to a sheet.
type Edit struct {
	Version   int64    `json:"version" doc:"The version of the sheet the change was made on" minimum:"1"`
	Key       string   `json:"key,omitempty" maxLength:"64" doc:"Chosen anew for each change: sent again, a change whose answer was lost is answered, not made again"`
	Act       string   `json:"act" enum:"request,alternate,remove,order,replace,takeOver,fill,useDraft,restore,undo,redo"`
	Course    string   `json:"course,omitempty" maxLength:"100"`
	StandsFor string   `json:"standsFor,omitempty" maxLength:"100" doc:"alternate: the request it stands in for; empty: any"`
	Instead   string   `json:"instead,omitempty" maxLength:"100" doc:"replace: the course that gives its place"`
	Place     int      `json:"place,omitempty" minimum:"0" maximum:"60" doc:"request, alternate: the place it takes in its list, from 1; 0: the one it comes to"`
	List      string   `json:"list,omitempty" enum:"requests,alternates" doc:"order: which list"`
	Order     []string `json:"order,omitempty" maxItems:"60" doc:"order: every course of the list, once"`
	Courses   []string `json:"courses,omitempty" maxItems:"60" doc:"takeOver: those of them that can be are requested"`
	Draft     int64    `json:"draft,omitempty" doc:"useDraft: the draft that comes in place of the sheet"`
	Then      int64    `json:"then,omitempty" doc:"restore: the version of the sheet that comes back"`
	Reason    string   `json:"reason,omitempty" maxLength:"1000" doc:"Where it is made for the family"`
}

// Decision is a counselor's answer to what a family says is met elsewhere, or a waiver.
type Decision struct {
	Version int64          `json:"version" minimum:"1"`
	Answer  string         `json:"answer" enum:"confirm,waive,decline" doc:"confirm: the claim becomes a record; waive: the course's condition is met; decline: neither"`
	Claim   int64          `json:"claim,omitempty" doc:"The claim's id; without one the course's condition is waived"`
	Course  string         `json:"course" maxLength:"100" doc:"The requested course whose condition it is"`
	Mark    *credit.Amount `json:"mark,omitempty" doc:"confirm: the mark on the report, 0 to 100"`
	Reason  string         `json:"reason" maxLength:"1000" doc:"Kept, and shown to the family"`

	SchoolYear string `json:"schoolYear,omitempty" maxLength:"20" doc:"confirm: in which school year it was earned, as 2025-26; without it, as the family said"`
	Term       string `json:"term,omitempty" maxLength:"100" doc:"confirm: in which term; without it, as the family said"`
	Credits    string `json:"credits,omitempty" maxLength:"20" doc:"confirm: the credits on the report; without them, those of the course"`
}

// Settling marks an errand as done, or as not done after all.
type Settling struct {
	Version int64  `json:"version" minimum:"1"`
	Course  string `json:"course" maxLength:"100" doc:"That brings it along"`
	Kind    string `json:"kind" enum:"test,audition,application,form,meeting,other"`
	Done    bool   `json:"done"`
	Reason  string `json:"reason" maxLength:"1000" doc:"Kept, and shown to the family"`
}

// Claiming is a family's statement that something a course asks for was met elsewhere.
type Claiming struct {
	Version int64  `json:"version" minimum:"1"`
	Course  string `json:"course" maxLength:"100" doc:"The course on the sheet whose condition it is"`
	Kind    string `json:"kind" enum:"passed,alongside,score,recommended,permission,program,credits"`
	Name    string `json:"name,omitempty" maxLength:"200" doc:"As the need has it"`
	Note    string `json:"note" maxLength:"1000" doc:"Where it was met, in words"`

	SchoolYear string `json:"schoolYear,omitempty" maxLength:"20" doc:"In which school year it was met, as 2025-26"`
	Term       string `json:"term,omitempty" maxLength:"100" doc:"In which term"`
	Mark       string `json:"mark,omitempty" maxLength:"100" doc:"The mark, as the report has it"`
}

type versionBody struct {
	Version int64  `json:"version" minimum:"1" doc:"The version of the sheet that was looked at"`
	Reason  string `json:"reason,omitempty" maxLength:"1000" doc:"Where the act needs one"`
}

type submissionBody struct {
	Version int64    `json:"version" minimum:"1" doc:"The version of the sheet that was looked at"`
	Reason  string   `json:"reason,omitempty" maxLength:"1000" doc:"Where it is submitted for the student"`
	Agreed  []string `json:"agreed,omitempty" maxItems:"200" doc:"The commitments that the student agrees to, one by one"`
}

type signatureBody struct {
	Version int64    `json:"version" minimum:"1"`
	Agreed  []string `json:"agreed" maxItems:"60" doc:"The requested courses whose fee is agreed to, one by one"`

	Commitments []string `json:"commitments,omitempty" maxItems:"200" doc:"The commitments that the guardian agrees to, one by one"`

	Reason string `json:"reason,omitempty" maxLength:"1000" doc:"Where it is signed for the family"`
}

type wishBody struct {
	Version int64  `json:"version" minimum:"1"`
	Message string `json:"message" maxLength:"1000"`
	Course  string `json:"course,omitempty" maxLength:"100" doc:"The requested course that it is about"`
	Decline bool   `json:"decline,omitempty" doc:"One does not sign what was handed in"`
}

// returnBody is a message with which a sheet is sent back.
type returnBody struct {
	Version int64    `json:"version" minimum:"1"`
	Message string   `json:"message" maxLength:"1000"`
	About   []string `json:"about,omitempty" maxItems:"100" doc:"The courses on the sheet that it is about"`
}

// actRoutes are those that do something with a sheet.
func (s *Routes) actRoutes(api huma.API) {
	onSheet(s, api, server.Operation("change-sheet", http.MethodPost, server.SheetPath+"/changes", "Change a sheet; kept at once"),
		func(ctx context.Context, by int64, at schoolyear.Place, b *Edit) (*appsheet.Desk, error) {
			return s.cases.Sheet.Change(ctx, by, at, appsheet.Edit(*b))
		})
	onSheet(s, api, server.Operation("make-claim", http.MethodPost, server.SheetPath+"/claims",
		"Say that something a course asks for was met elsewhere; a counselor decides"),
		func(ctx context.Context, by int64, at schoolyear.Place, b *Claiming) (*appsheet.Desk, error) {
			return s.cases.Sheet.MakeClaim(ctx, by, at, appsheet.Claiming(*b))
		})
	onSheet(s, api, server.Operation("settle-errand", http.MethodPost, server.SheetPath+"/errands",
		"Say of an errand that it is done, or that it is not after all"),
		func(ctx context.Context, by int64, at schoolyear.Place, b *Settling) (*appsheet.Desk, error) {
			return s.cases.Sheet.SettleErrand(ctx, by, at, appsheet.Settling(*b))
		})
	onSheet(s, api, server.Operation("submit-summer", http.MethodPost, server.SheetPath+"/summer",
		"Hand in what is requested for the summer, by itself; twice gives the same receipt"),
		func(ctx context.Context, by int64, at schoolyear.Place, body *versionBody) (*appsheet.Desk, error) {
			return s.cases.Sheet.SubmitSummer(ctx, by, at, body.Version, body.Reason)
		})
	onSheet(s, api, server.Operation("submit-sheet", http.MethodPost, server.SheetPath+"/submission",
		"Submit a sheet; twice gives the same receipt"),
		func(ctx context.Context, by int64, at schoolyear.Place, b *submissionBody) (*appsheet.Desk, error) {
			return s.cases.Sheet.Submit(ctx, by, at, b.Version, b.Reason, b.Agreed...)
		})
	onSheet(s, api, server.Operation("sign-sheet", http.MethodPost, server.SheetPath+"/signature",
		"Sign a submitted sheet as a guardian, or for the family with a reason"),
		func(ctx context.Context, by int64, at schoolyear.Place, b *signatureBody) (*appsheet.Desk, error) {
			return s.cases.Sheet.Sign(ctx, by, at, b.Version, b.Agreed, b.Reason, b.Commitments...)
		})
	onSheet(s, api, server.Operation("ask-for-change", http.MethodPost, server.SheetPath+"/wish",
		"Ask for a change, as the family, of a course or the whole, or say that one does not sign"),
		func(ctx context.Context, by int64, at schoolyear.Place, b *wishBody) (*appsheet.Desk, error) {
			return s.cases.Sheet.RequestChange(ctx, by, at,
				appsheet.ChangeRequest{Version: b.Version, Message: b.Message, Course: b.Course, Decline: b.Decline})
		})
	type oneIn struct {
		server.OnSheet
		ID int64 `path:"id" minimum:"0" doc:"Of the change request"`
	}
	server.SignedIn(s, api, server.Operation("withdraw-change-request", http.MethodDelete, server.SheetPath+"/wish/{id}",
		"Take back what one has asked to change, or one's refusal to sign"),
		func(ctx context.Context, by int64, in *oneIn) (*sheetOut, error) {
			return sheetOf(s.cases.Sheet.WithdrawChangeRequest(ctx, by, in.Place(), in.ID))
		})
	type answerIn struct {
		server.OnSheet
		ID   int64 `path:"id" minimum:"0" doc:"Of the change request"`
		Body struct {
			Answer string `json:"answer" maxLength:"1000"`
		}
	}
	server.SignedIn(s, api, server.Operation("answer-change-request", http.MethodPost,
		server.SheetPath+"/wish/{id}/answer", "Answer what somebody in the family asks to change, or a refusal to sign, as whoever decides"),
		func(ctx context.Context, by int64, in *answerIn) (*sheetOut, error) {
			return sheetOf(s.cases.Sheet.AnswerChangeRequest(ctx, by, in.Place(), in.ID, in.Body.Answer))
		})
	onSheet(s, api, server.Operation("look-at-sheet", http.MethodPost, server.SheetPath+"/look",
		"Agree that a sheet may be submitted, where the school wants a look before"),
		func(ctx context.Context, by int64, at schoolyear.Place, b *versionBody) (*appsheet.Desk, error) {
			return s.cases.Sheet.Look(ctx, by, at, b.Version)
		})
	onSheet(s, api, server.Operation("clear-sheet", http.MethodPost, server.SheetPath+"/clearance", "Clear a sheet as a counselor"),
		func(ctx context.Context, by int64, at schoolyear.Place, b *versionBody) (*appsheet.Desk, error) {
			return s.cases.Sheet.Approve(ctx, by, at, b.Version, b.Reason)
		})
	onSheet(s, api, server.Operation("reopen-sheet", http.MethodPost, server.SheetPath+"/reopening", "Take a clearance back, with a reason"),
		func(ctx context.Context, by int64, at schoolyear.Place, b *versionBody) (*appsheet.Desk, error) {
			return s.cases.Sheet.Reopen(ctx, by, at, b.Version, b.Reason)
		})
	onSheet(s, api, server.Operation("send-back-sheet", http.MethodPost, server.SheetPath+"/return", "Send a sheet back with a message"),
		func(ctx context.Context, by int64, at schoolyear.Place, b *returnBody) (*appsheet.Desk, error) {
			return s.cases.Sheet.SendBack(ctx, by, at, b.Version, b.Message, b.About...)
		})
	onSheet(s, api, server.Operation("decide", http.MethodPost, server.SheetPath+"/decision",
		"Confirm, waive or decline as a counselor, with a reason"),
		func(ctx context.Context, by int64, at schoolyear.Place, b *Decision) (*appsheet.Desk, error) {
			return s.cases.Sheet.Decide(ctx, by, at, appsheet.Decision(*b))
		})
}

// fileRoutes are those of the files that go with claims.
func (s *Routes) fileRoutes(api huma.API) {
	type attachIn struct {
		server.OnSheet
		Claim   int64  `path:"claim" minimum:"1"`
		Name    string `query:"name" minLength:"1" maxLength:"200" doc:"Of the file"`
		Reason  string `query:"reason" maxLength:"1000" doc:"Where it is done for the family"`
		RawBody []byte `contentType:"application/octet-stream"`
	}
	op := s.Upload(server.Operation("attach-file", http.MethodPost, server.StudentPath+"/claims/{claim}/file",
		"Put a file beside an open claim: a PDF, a JPEG, PNG or HEIC picture, or text; at most 10 MB"),
		appsheet.MaxAttachment, server.FamilyShare, s.cases.Sheet.Papers().MayAttach)
	server.SignedIn(s, api, op, func(ctx context.Context, by int64, in *attachIn) (*sheetOut, error) {
		d, err := s.cases.Sheet.Papers().Attach(ctx, by, in.Place(), in.Claim, in.Name, in.Reason, in.RawBody)
		return sheetOf(d, err)
	})
	type fileIn struct {
		server.OnSheet
		Claim int64 `path:"claim" minimum:"1"`
	}
	type detachIn struct {
		server.OnSheet
		Claim  int64  `path:"claim" minimum:"1"`
		Reason string `query:"reason" maxLength:"1000" doc:"Where it is done for the family"`
	}
	server.SignedIn(s, api, server.Operation("drop-file", http.MethodDelete, server.StudentPath+"/claims/{claim}/file",
		"Take the file beside an open claim away"),
		func(ctx context.Context, by int64, in *detachIn) (*sheetOut, error) {
			d, err := s.cases.Sheet.Papers().Detach(ctx, by, in.Place(), in.Claim, in.Reason)
			return sheetOf(d, err)
		})
	type fileOut struct {
		ContentType        string `header:"Content-Type"`
		ContentDisposition string `header:"Content-Disposition"`
		Policy             string `header:"Content-Security-Policy"`
		Body               []byte
	}
	server.SignedIn(s, api, server.Gives(server.Operation("get-file", http.MethodGet,
		server.StudentPath+"/claims/{claim}/file", "The file beside a claim, for the family and whoever decides"), "application/octet-stream"),
		func(ctx context.Context, by int64, in *fileIn) (*fileOut, error) {
			file, err := s.cases.Sheet.Papers().Attachment(ctx, by, in.Place(), in.Claim)
			if err != nil {
				return nil, err
			}
			// It is given out to be kept, never to be shown by the browser, whatever is in it.
			return &fileOut{ContentType: "application/octet-stream",
				ContentDisposition: mime.FormatMediaType("attachment", map[string]string{"filename": file.Name}),
				Policy:             "sandbox; default-src 'none'", Body: file.Content}, nil
		})
}

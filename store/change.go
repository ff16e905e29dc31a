package store

import (
	"context"
	"encoding/json"
	"errors"
	"maps"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// Actor is who does something, by the name of the moment.
type Actor struct{ ID, Name string }

// Change is the outcome of an act on a sheet, written in one transaction; parts that are nil or empty are left out.
type Change struct {
	Place
	Version      int64 // the new one
	FactsVersion int64 // the one it was decided on; 0: whatever it is
	At           time.Time
	Actor        Actor
	Kind         string
	Reason, Key  string
	Digest       string // of what was asked with the key
	Detail       any
	State        SheetState

	Delete     []string   // courses whose entries go
	Upsert     []EntryRow // entries that are new or different
	Submission *Submission
	Signature  *Signature
	Settle     *Settlement
	Signals    []*SignalRow
	Withdraw   []int64 // what was said by these signals is taken back
	Unsay      int64   // what a batch said of the student is taken back
	Resay      []int64 // what was withdrawn by these signals is said again
	Records    []*RecordRow
	Replace    int64 // the record in whose place they come
	Attachment *Attachment
	Detach     int64 // the claim whose file is taken away
	Remark     *RemarkRow
	Answer     *RemarkRow // ID and Answer
	Show       *ShowDraft
	Prepares   bool       // the school prepares the sheet: no one has begun by that
	Batch      *BatchPart // what it is done with
	Back       int64      // the batch that it takes back
	Letters    []LetterFor
	Told       []Notice // other systems are
}

// Say adds something that is said of the student.
func (c *Change) Say(x *SignalRow) { c.Signals = append(c.Signals, x) }

// Attachment is a file that goes with a claim.
type Attachment struct {
	Claim   int64
	Name    string `db:"name"`
	Kind    string `db:"kind"` // a media type
	Content []byte `db:"content"`
}

// Attachment returns the file of a student's claim. The error is ErrNotFound.
func (q SheetQueries) Attachment(ctx context.Context, at Place, claim int64) (a Attachment, err error) {
	a.Claim = claim
	return a, q.get(ctx, &a,
		`SELECT f.name, f.kind, f.content FROM attachment f JOIN signal s ON s.school_id = f.school_id AND s.id = f.signal_id
		WHERE f.school_id = $1 AND s.student_id = $2 AND s.kind = 'claim' AND s.id = $3`, at.School, at.Student, claim)
}

// Submission is what is submitted; its number is that of the change's state.
type Submission struct {
	Receipt         string
	Catalog, Policy int64
	Entries         []EntryRow
	Judgement       any
	Agreed          []string // the commitments that the student agreed to, by id
}

// Signature is one under the submission that stands.
type Signature struct {
	ForFamily   bool
	Person      Actor          // whose it is, where it is not the actor's: given on paper
	Agreed      []string       // the courses whose fee was agreed to
	Commitments []string       // the commitments agreed to, by id
	Newly       []AgreementRow // what of that was not on record before
}

// ShowDraft shows a draft to the family, or no longer.
type ShowDraft struct {
	ID    int64
	Shown bool
}

// Settlement says what becomes of a claim.
type Settlement struct {
	Claim  int64
	Answer string // confirmed, waived or declined
	Reason string
	By     string // by the name of the moment
}

// saveSheet writes the sheet itself, only while it still has the version and the facts that the change was
// decided on; else it fails with the code staleChange.
const saveSheet = `
	WITH saved AS (
		UPDATE sheet SET
			version = @version, touched = true, begun = begun OR @begins,
			state = @state, submission = @submission, changed_at = @changed_at, cleared_at = @cleared_at,
			message = @message, about = CASE WHEN @message = '' THEN '[]' ELSE @about::jsonb END,
			asked = @asked, asked_at = CASE WHEN @asked = '' THEN NULL ELSE @asked_at::timestamptz END,
			looked = @looked::jsonb, summer = @summer::jsonb, change_requests = @change_requests::jsonb,
			undoable = @undoable, undoes = @undoes::jsonb, redoable = @redoable, redo_by = @redo_by,
			placed = CASE WHEN placed IS NULL OR @before = '' THEN placed
				ELSE jsonb_set(placed, '{was}', to_jsonb(@before::text)) END,
			facts_version = facts_version + @new_facts,
			talk = CASE WHEN @talk::text IS NULL OR talk ? @talk::text THEN talk ELSE talk || to_jsonb(@talk::text) END
		WHERE school_id = @school AND year = @year AND student_id = @student
			AND version = @version - 1 AND (@facts = 0 OR facts_version = @facts)
		RETURNING 1
	) SELECT hold_change(EXISTS (SELECT 1 FROM saved))`

// staleChange is the SQLSTATE of hold_change, a function of the schema.
const staleChange = "RU001"

const addEvent = `
	INSERT INTO event (school_id, year, student_id, version, at, actor, actor_name, kind, reason, key, asked_digest, detail)
	VALUES (@school, @year, @student, @version, @at, @actor, @actor_name, @kind, @reason, @key, @digest, @detail::jsonb)`

const deleteEntries = `
	DELETE FROM entry WHERE school_id = @school AND year = @year AND student_id = @student
		AND course_code IN (SELECT jsonb_array_elements_text(@courses::jsonb))`

const saveEntries = `
	INSERT INTO entry (school_id, year, student_id, course_code, kind, rank, ord, stands_for)
	SELECT @school, @year, @student, c, CASE WHEN a THEN 'alternate' ELSE 'request' END, r, r, s
	FROM jsonb_to_recordset(@entries::jsonb) AS x(c text, a boolean, r int, s text)
	ON CONFLICT (school_id, year, student_id, course_code) DO UPDATE SET
		kind = EXCLUDED.kind, rank = EXCLUDED.rank, ord = EXCLUDED.ord, stands_for = EXCLUDED.stands_for`

const addSubmission = `
	INSERT INTO submission (school_id, year, student_id, number, receipt, at, actor, actor_name,
		catalog_version, policy_version, entries, judgement, agreed)
	VALUES (@school, @year, @student, @number, @receipt, @at, @actor, @actor_name,
		@catalog, @policy, @entries::jsonb, @judgement::jsonb, @agreed::jsonb)`

const addSignature = `
	INSERT INTO signature (school_id, year, student_id, number, person_id, name, at,
		for_family, reason, agreed, commitments, paper_by)
	VALUES (@school, @year, @student, @number, @person, @name, @at,
		@for_family, @reason, @agreed::jsonb, @commitments::jsonb, @paper_by)`

const addAgreements = `
	INSERT INTO agreement (school_id, year, student_id, person_id, kind, ref, what, at)
	SELECT @school, @year, @student, @actor, a.kind, a.ref, a.what, @at
	FROM jsonb_to_recordset(@agreements::jsonb) AS a(kind text, ref text, what text) ON CONFLICT DO NOTHING`

const showDraft = `
	UPDATE draft SET shown_at = CASE WHEN @shown THEN @at::timestamptz END
	WHERE school_id = @school AND year = @year AND student_id = @student AND id = @draft`

const settleClaim = `
	UPDATE signal SET settled = @answer, answer = @reason, answered_by = @by
	WHERE school_id = @school AND student_id = @student AND id = @claim AND kind = 'claim' AND settled = ''`

const withdrawSignals = `
	UPDATE signal SET settled = 'withdrawn', answered_by = @actor_name
	WHERE school_id = @school AND student_id = @student AND kind <> 'claim' AND settled = ''
		AND id IN (SELECT value::bigint FROM jsonb_array_elements_text(@signals::jsonb))`

const withdrawBatch = `
	UPDATE signal SET settled = 'withdrawn', answered_by = @actor_name
	WHERE school_id = @school AND student_id = @student AND settled = '' AND batch_id = @batch`

const deleteBatchRecords = `DELETE FROM record WHERE school_id = @school AND student_id = @student AND batch_id = @batch`

const restoreReplaced = `
	UPDATE record SET replaced = NULL WHERE school_id = @school AND student_id = @student AND replaced = @batch`

const restoreSignals = `
	UPDATE signal SET settled = '', answered_by = ''
	WHERE school_id = @school AND student_id = @student AND settled = 'withdrawn'
		AND id IN (SELECT value::bigint FROM jsonb_array_elements_text(@signals::jsonb))`

const markBatchBack = `
	UPDATE batch_sheet SET back = true
	WHERE school_id = @school AND year = @year AND student_id = @student AND batch_id = @batch`

const addBatchPart = `
	INSERT INTO batch_sheet (school_id, year, batch_id, student_id, version, came, gone, unsaid, was)
	VALUES (@school, @year, @batch, @student, @version, @came::jsonb, @gone::jsonb, @unsaid::jsonb, @was)`

const addSignals = `
	INSERT INTO signal (school_id, student_id, ord, kind, course_code, name, value, said_by, note, cells, batch_id)
	SELECT @school, @student, x.n + (SELECT coalesce(max(ord), 0) FROM signal WHERE school_id = @school AND student_id = @student),
		x.value ->> 'kind', x.value ->> 'course', x.value ->> 'name', (x.value ->> 'value')::bigint, x.value ->> 'by', x.value ->> 'note',
		x.value -> 'cells', @batch::bigint
	FROM jsonb_array_elements(@signals::jsonb) WITH ORDINALITY AS x(value, n)`

const addRecord = `
	INSERT INTO record (school_id, student_id, ord, course_code, title, subjects, start_year, term, credits, mark,
		outcome, here, cells, batch_id)
	SELECT @school, @student, coalesce(max(ord), 0) + 1, @course, @title, @subjects::jsonb, @start_year, @term, @credits, @mark::bigint,
		@outcome, true, @cells::jsonb, @batch::bigint
	FROM record WHERE school_id = @school AND student_id = @student`

const replaceRecord = `
	UPDATE record SET replaced = @batch WHERE school_id = @school AND student_id = @student AND id = @record AND replaced IS NULL`

const deleteAttachment = `
	DELETE FROM attachment f USING signal s
	WHERE f.school_id = @school AND (s.school_id, s.id) = (f.school_id, f.signal_id)
		AND s.student_id = @student AND s.kind = 'claim' AND s.settled = '' AND s.id = @claim`

const saveAttachment = `
	INSERT INTO attachment (school_id, signal_id, name, kind, content, at)
	SELECT @school, s.id, @name, @kind, @content::bytea, @at
	FROM signal s
	WHERE s.school_id = @school AND s.student_id = @student AND s.kind = 'claim' AND s.settled = '' AND s.id = @claim
	ON CONFLICT (school_id, signal_id) DO UPDATE SET
		name = EXCLUDED.name, kind = EXCLUDED.kind, content = EXCLUDED.content, at = EXCLUDED.at`

const addRemark = `
	INSERT INTO remark (school_id, year, student_id, kind, draft_id, course_code, rule, text, by_name, at)
	VALUES (@school, @year, @student, @kind, @draft, @course, @rule, @text, @actor_name, @at)`

const answerRemark = `
	UPDATE remark SET answer = @answer, answered_by = @actor_name, answered_at = @at
	WHERE school_id = @school AND year = @year AND student_id = @student AND id = @remark AND answer = ''`

// SaveChange writes a change: the sheet's state, its entries, the event, and what else the change has, in one
// transaction and one round trip. It does so only while the sheet still has the version before c.Version (and
// the facts c.FactsVersion), and reports whether it did.
func (q SheetQueries) SaveChange(ctx context.Context, c *Change) (saved bool, err error) {
	p := q.pipeline(ctx)
	c.writeSheet(p)
	c.writeSubmission(p)
	c.writeSaid(p)
	c.writeBatch(p)
	c.writeRecords(p)
	c.writeFile(p)
	c.writeMessages(p)
	err = p.send(ctx)
	var failed *pgconn.PgError
	if errors.As(err, &failed) && failed.Code == staleChange {
		return false, nil
	}
	return err == nil, err
}

// where returns the arguments that most statements have, and more.
func (c *Change) where(more pgx.NamedArgs) pgx.NamedArgs {
	args := pgx.NamedArgs{"school": c.School, "year": c.Year, "student": c.Student, "version": c.Version,
		"at": c.At, "actor": c.Actor.ID, "actor_name": c.Actor.Name}
	maps.Copy(args, more)
	return args
}

// changesFacts reports whether something that is known of the student is written.
func (c *Change) changesFacts() bool {
	return c.Settle != nil || len(c.Signals) > 0 || len(c.Withdraw) > 0 || c.Unsay != 0 || len(c.Resay) > 0 ||
		len(c.Records) > 0 || c.Attachment != nil || c.Detach != 0
}

func (c *Change) writeSheet(p *pipeline) {
	s := &c.State
	newFacts := 0
	var talk *string // the course that the family talks about, "" for the whole
	if c.changesFacts() {
		newFacts = 1
	}
	if x := c.Remark; x != nil && x.Kind == "family" && x.Draft == 0 {
		talk = &x.Course
	}
	p.queue(saveSheet, c.where(pgx.NamedArgs{"begins": !c.Prepares, "state": s.State, "submission": s.Submission,
		"changed_at": s.ChangedAt, "cleared_at": s.ClearedAt, "message": s.Message, "about": asJSON(append([]string{}, s.About.V...)),
		"asked": s.Asked, "asked_at": s.AskedAt, "looked": jsonOrNull(s.Looked), "summer": jsonOrNull(s.Summer),
		"change_requests": asJSON(append([]ChangeRequest{}, s.ChangeRequests.V...)), "undoable": s.Undoable,
		"undoes": jsonOrNull(s.Undoes), "redoable": s.Redoable, "redo_by": s.RedoBy, "before": s.Before,
		"new_facts": newFacts, "talk": talk, "facts": c.FactsVersion}))
	p.queue(addEvent, c.where(pgx.NamedArgs{"kind": c.Kind, "reason": c.Reason, "key": c.Key, "digest": c.Digest,
		"detail": asJSON(c.Detail)}))
	if len(c.Delete) > 0 {
		p.queue(deleteEntries, c.where(pgx.NamedArgs{"courses": asJSON(c.Delete)}))
	}
	if len(c.Upsert) > 0 {
		p.queue(saveEntries, c.where(pgx.NamedArgs{"entries": asJSON(c.Upsert)}))
	}
	if x := c.Show; x != nil {
		p.queue(showDraft, c.where(pgx.NamedArgs{"shown": x.Shown, "draft": x.ID}))
	}
}

func (c *Change) writeSubmission(p *pipeline) {
	if x := c.Submission; x != nil {
		p.queue(addSubmission, c.where(pgx.NamedArgs{"number": c.State.Submission, "receipt": x.Receipt, "catalog": x.Catalog,
			"policy": x.Policy, "entries": asJSON(x.Entries), "judgement": asJSON(x.Judgement),
			"agreed": asJSON(append([]string{}, x.Agreed...))}))
	}
	x := c.Signature
	if x == nil {
		return
	}
	signer, paperBy, reason := c.Actor, "", c.Reason
	if x.Person.ID != "" {
		signer, paperBy, reason = x.Person, c.Actor.Name, ""
	}
	p.queue(addSignature, c.where(pgx.NamedArgs{"number": c.State.Submission, "person": signer.ID, "name": signer.Name,
		"for_family": x.ForFamily, "reason": reason, "agreed": asJSON(append([]string{}, x.Agreed...)),
		"commitments": asJSON(append([]string{}, x.Commitments...)), "paper_by": paperBy}))
	if len(x.Newly) > 0 {
		p.queue(addAgreements, c.where(pgx.NamedArgs{"agreements": asJSON(x.Newly)}))
	}
}

// writeSaid writes what is said of the student, and what is no longer.
func (c *Change) writeSaid(p *pipeline) {
	if x := c.Settle; x != nil {
		p.queue(settleClaim, c.where(pgx.NamedArgs{"answer": x.Answer, "reason": x.Reason, "by": x.By, "claim": x.Claim}))
	}
	if len(c.Withdraw) > 0 {
		p.queue(withdrawSignals, c.where(pgx.NamedArgs{"signals": asJSON(c.Withdraw)}))
	}
	if c.Unsay != 0 {
		p.queue(withdrawBatch, c.where(pgx.NamedArgs{"batch": c.Unsay}))
	}
	if len(c.Resay) > 0 {
		p.queue(restoreSignals, c.where(pgx.NamedArgs{"signals": asJSON(c.Resay)}))
	}
	if len(c.Signals) > 0 {
		type said struct {
			Kind   string          `json:"kind"`
			Course string          `json:"course"`
			Name   string          `json:"name"`
			Value  int64           `json:"value"`
			By     string          `json:"by"`
			Note   string          `json:"note"`
			Cells  json.RawMessage `json:"cells"`
		}
		var list []said
		for _, x := range c.Signals {
			list = append(list, said{Kind: x.Kind, Course: x.Code, Name: x.Name, Value: x.Value, By: x.By, Note: x.Note,
				Cells: json.RawMessage(asJSON(x.Cells))})
		}
		p.queue(addSignals, c.where(pgx.NamedArgs{"signals": asJSON(list), "batch": c.batch()}))
	}
}

func (c *Change) writeBatch(p *pipeline) {
	if c.Back != 0 {
		p.queue(markBatchBack, c.where(pgx.NamedArgs{"batch": c.Back}))
	}
	if x := c.Batch; x != nil {
		p.queue(addBatchPart, c.where(pgx.NamedArgs{"batch": x.Batch, "came": asJSON(append([]EntryRow{}, x.Came...)),
			"gone": asJSON(append([]EntryRow{}, x.Gone...)), "unsaid": asJSON(append([]int64{}, x.Unsaid...)), "was": x.Was}))
	}
}

func (c *Change) writeRecords(p *pipeline) {
	if c.Unsay != 0 {
		p.queue(deleteBatchRecords, c.where(pgx.NamedArgs{"batch": c.Unsay}))
		p.queue(restoreReplaced, c.where(pgx.NamedArgs{"batch": c.Unsay}))
	}
	for _, x := range c.Records {
		p.queue(addRecord, c.where(pgx.NamedArgs{"course": x.Code, "title": x.Title, "subjects": asJSON(x.Subjects),
			"start_year": x.Year, "term": x.Term, "credits": x.Credits, "mark": x.Mark, "outcome": x.Outcome,
			"cells": asJSON(x.Cells), "batch": c.batch()}))
	}
	if c.Replace != 0 {
		p.queue(replaceRecord, c.where(pgx.NamedArgs{"batch": c.batch(), "record": c.Replace}))
	}
}

func (c *Change) writeFile(p *pipeline) {
	if c.Detach != 0 {
		p.queue(deleteAttachment, c.where(pgx.NamedArgs{"claim": c.Detach}))
	}
	if x := c.Attachment; x != nil {
		p.queue(saveAttachment, c.where(pgx.NamedArgs{"name": x.Name, "kind": x.Kind, "content": x.Content, "claim": x.Claim}))
	}
}

// writeMessages writes mails, messages to other systems, questions and answers.
func (c *Change) writeMessages(p *pipeline) {
	if len(c.Letters) > 0 {
		p.queue(addLetters, c.School, c.Year, c.Student, c.Version, c.At, asJSON(c.Letters))
	}
	for _, x := range c.Told {
		p.queue(addHookMessages, c.School, c.Year, x.Kind, c.Student, asJSON(x.Detail), c.At)
	}
	if x := c.Remark; x != nil {
		p.queue(addRemark, c.where(pgx.NamedArgs{"kind": x.Kind, "draft": x.Draft, "course": x.Course, "rule": x.Rule, "text": x.Text}))
	}
	if x := c.Answer; x != nil {
		p.queue(answerRemark, c.where(pgx.NamedArgs{"answer": x.Answer, "remark": x.ID}))
	}
}

// batch is the number of the batch that a change is part of; none otherwise.
func (c *Change) batch() *int64 {
	if c.Batch == nil {
		return nil
	}
	return &c.Batch.Batch
}

// jsonOrNull returns a value as JSON, or NULL where there is none.
func jsonOrNull[T any](v *JSON[T]) any {
	if v == nil {
		return nil
	}
	return asJSON(v.V)
}

// NextReceipt takes a receipt number; numbers may be left out.
func (q SheetQueries) NextReceipt(ctx context.Context) (n int64, err error) {
	return n, q.get(ctx, &n, `SELECT nextval('receipt_number')`)
}

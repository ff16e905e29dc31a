package store

import (
	"context"
	"fmt"
	"time"
)

// Actor is who does something, by the name of the moment.
type Actor struct{ ID, Name string }

// Change is the outcome of an act on a sheet, written in one statement; parts that are nil or empty are left out.
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

// SaveChange writes a change: the sheet's state, its entries, the event, and what else the change has. It
// does so only while the sheet still has the version before c.Version (and the facts c.FactsVersion), and
// reports whether it did.
func (q SheetQueries) SaveChange(ctx context.Context, c *Change) (saved bool, err error) {
	s := &c.State
	var looked, undoes, summer any
	if s.Looked != nil {
		looked = asJSON(s.Looked.V)
	}
	if s.Undoes != nil {
		undoes = asJSON(s.Undoes.V)
	}
	if s.Summer != nil {
		summer = asJSON(s.Summer.V)
	}
	facts := ""
	if c.Settle != nil || len(c.Signals) > 0 || len(c.Withdraw) > 0 || c.Unsay != 0 || len(c.Resay) > 0 ||
		len(c.Records) > 0 || c.Attachment != nil || c.Detach != 0 {
		facts = ", facts_version = facts_version + 1"
	}
	b := &statement{args: []any{c.School, c.Year, c.Student, c.Version, c.At, c.Actor.ID, c.Actor.Name, c.Kind, c.Reason,
		c.Key, asJSON(c.Detail),
		s.State, s.Submission, s.ChangedAt, s.ClearedAt, s.Message, s.Asked, looked, s.Undoable, c.FactsVersion, undoes,
		s.Redoable, asJSON(append([]ChangeRequest{}, s.ChangeRequests.V...)), summer, !c.Prepares, s.AskedAt,
		asJSON(append([]string{}, s.About.V...)), c.Digest, s.RedoBy, s.Before}}
	if c.Remark != nil && c.Remark.Kind == "family" && c.Remark.Draft == 0 {
		b.args = append(b.args, c.Remark.Course)
		facts += fmt.Sprintf(", talk = CASE WHEN talk ? $%[1]d THEN talk ELSE talk || to_jsonb($%[1]d::text) END", len(b.args))
	}
	b.text = `WITH mine AS (
			UPDATE sheet SET version = $4, touched = true, begun = begun
			OR $25, state = $12, submission = $13, changed_at = $14, cleared_at = $15, message = $16, asked = $17,
				looked = $18::jsonb, undoable = $19, undoes = $21::jsonb, redoable = $22, redo_by = $29, placed = CASE
				WHEN placed IS NULL OR $30 = '' THEN placed ELSE jsonb_set(placed,
				'{was}', to_jsonb($30::text)) END, change_requests = $23::jsonb, summer = $24::jsonb, asked_at = CASE
				WHEN $17 = '' THEN NULL ELSE $26::timestamptz END,
				about = CASE WHEN $16 = '' THEN '[]' ELSE $27::jsonb END` + facts + `
			WHERE school_id = $1 AND year = $2 AND student_id = $3 AND version = $4 - 1 AND ($20 = 0 OR facts_version = $20) RETURNING 1
		), noted AS (
			INSERT INTO event (school_id, year, student_id, version, at, actor, actor_name, kind, reason, key, asked_digest, detail)
			SELECT $1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $28, $11::jsonb FROM mine
		)`
	// A part with nothing to do would cost as much as one that does it, so it is left out.
	if len(c.Delete) > 0 {
		b.add(`gone AS (DELETE FROM entry WHERE school_id = $1 AND year = $2 AND student_id = $3
			AND course_code IN (SELECT jsonb_array_elements_text(%s::jsonb)) AND EXISTS (SELECT 1 FROM mine))`, asJSON(c.Delete))
	}
	if len(c.Upsert) > 0 {
		b.add(`kept AS (INSERT INTO entry (school_id, year, student_id, course_code, kind, rank, ord, stands_for)
			SELECT $1, $2, $3, c, CASE WHEN a THEN 'alternate' ELSE 'request' END, r, r, s
			FROM jsonb_to_recordset(%s::jsonb) AS x(c text, a boolean, r int, s text), mine
			ON CONFLICT (school_id, year, student_id, course_code)
				DO UPDATE SET kind = EXCLUDED.kind, rank = EXCLUDED.rank, ord = EXCLUDED.ord, stands_for = EXCLUDED.stands_for)`, asJSON(c.Upsert))
	}
	if x := c.Submission; x != nil {
		b.add(`handed AS (INSERT INTO submission (school_id, year,
			student_id, number, receipt, at, actor, actor_name, catalog_version, policy_version, entries, judgement, agreed)
			SELECT $1, $2, $3, $13, %s, $5, $6, $7, %s, %s, %s::jsonb, %s::jsonb, %s::jsonb FROM mine)`, x.Receipt, x.Catalog,
			x.Policy, asJSON(x.Entries), asJSON(x.Judgement),
			asJSON(append([]string{}, x.Agreed...)))
	}
	if x := c.Signature; x != nil {
		whose, paperBy, reason := c.Actor, "", c.Reason
		if x.Person.ID != "" {
			whose, paperBy, reason = x.Person, c.Actor.Name, ""
		}
		b.add(`signed AS (INSERT INTO signature (school_id, year, student_id,
			number, person_id, name, at, for_family, reason, agreed, commitments, paper_by)
			SELECT $1, $2, $3, $13, %s, %s, $5, %s, %s, %s::jsonb, %s::jsonb, %s FROM mine)`, whose.ID, whose.Name, x.ForFamily,
			reason, asJSON(append([]string{}, x.Agreed...)), asJSON(append([]string{}, x.Commitments...)), paperBy)
	}
	if x := c.Signature; x != nil && len(x.Newly) > 0 {
		b.add(`agreed AS (INSERT INTO agreement (school_id, year, student_id, person_id, kind, ref, what, at)
			SELECT $1, $2, $3, $6, a.kind, a.ref, a.what, $5 FROM mine,
			jsonb_to_recordset(%s::jsonb) AS a(kind text, ref text, what text) ON CONFLICT DO NOTHING)`,
			asJSON(x.Newly))
	}
	if x := c.Show; x != nil {
		b.add(`shown AS (UPDATE draft SET shown_at = CASE WHEN %s THEN $5::timestamptz END WHERE school_id = $1 AND year = $2
			AND student_id = $3 AND id = %s AND EXISTS (SELECT 1 FROM mine))`,
			x.Shown, x.ID)
	}
	if x := c.Settle; x != nil {
		b.add(`settled AS (UPDATE signal SET settled = %s, answer = %s, answered_by = %s WHERE school_id = $1 AND student_id = $3
			AND id = %s AND kind = 'claim' AND settled = '' AND EXISTS (SELECT 1 FROM mine))`,
			x.Answer, x.Reason, x.By, x.Claim)
	}
	if len(c.Withdraw) > 0 {
		b.add(`withdrawn AS (UPDATE signal SET settled = 'withdrawn', answered_by = $7 WHERE school_id = $1 AND student_id = $3
			AND kind <> 'claim' AND settled = ''
			AND id IN (SELECT value::bigint FROM jsonb_array_elements_text(%s::jsonb)) AND EXISTS (SELECT 1 FROM mine))`, asJSON(c.Withdraw))
	}
	if c.Unsay != 0 {
		b.add(`unsaid AS (UPDATE signal SET settled = 'withdrawn', answered_by = $7 WHERE school_id = $1 AND student_id = $3
			AND settled = '' AND batch_id = %s
			AND EXISTS (SELECT 1 FROM mine))`, c.Unsay)
		b.add(`unwritten AS (DELETE FROM record WHERE school_id = $1 AND student_id = $3 AND batch_id = %s AND EXISTS (SELECT 1 FROM mine))`,
			c.Unsay)
		b.add(`rewritten AS (UPDATE record SET replaced = NULL WHERE school_id = $1 AND student_id = $3 AND replaced = %s
			AND EXISTS (SELECT 1 FROM mine))`,
			c.Unsay)
	}
	if len(c.Resay) > 0 {
		b.add(`resaid AS (UPDATE signal SET settled = '', answered_by = '' WHERE school_id = $1 AND student_id = $3 AND settled = 'withdrawn'
			AND id IN (SELECT value::bigint FROM jsonb_array_elements_text(%s::jsonb)) AND EXISTS (SELECT 1 FROM mine))`, asJSON(c.Resay))
	}
	if c.Back != 0 {
		b.add(`back AS (UPDATE batch_sheet SET back = true WHERE school_id = $1 AND year = $2 AND student_id = $3
			AND batch_id = %s AND EXISTS (SELECT 1 FROM mine))`,
			c.Back)
	}
	if x := c.Batch; x != nil {
		b.add(`part AS (INSERT INTO batch_sheet (school_id, year, batch_id, student_id, version, came, gone, unsaid, was)
			SELECT $1, $2, %s, $3, $4, %s::jsonb, %s::jsonb, %s::jsonb, %s FROM mine)`,
			x.Batch, asJSON(append([]EntryRow{}, x.Came...)), asJSON(append([]EntryRow{}, x.Gone...)), asJSON(append([]int64{}, x.Unsaid...)), x.Was)
	}
	for i, x := range c.Signals {
		b.add(fmt.Sprintf("said%d", i)+
			` AS (INSERT INTO signal (school_id, student_id, ord, kind, course_code, name, value, said_by, note, cells, batch_id)
			SELECT $1, $3, coalesce(max(ord), 0) + %s, %s, %s, %s, %s, %s, %s, %s::jsonb, %s FROM signal WHERE school_id = $1
			AND student_id = $3 HAVING EXISTS (SELECT 1 FROM mine))`,
			i+1, x.Kind, x.Code, x.Name, x.Value, x.By, x.Note, asJSON(x.Cells), c.batch())
	}
	for i, x := range c.Records {
		b.add(fmt.Sprintf("recorded%d", i)+
			` AS (INSERT INTO record (school_id, student_id, ord, course_code,
				title, subjects, start_year, term, credits, mark, outcome, here, cells, batch_id)
			SELECT $1, $3, coalesce(max(ord), 0) + %s, %s, %s, %s::jsonb, %s, %s, %s, %s, %s, true, %s::jsonb, %s FROM record
			WHERE school_id = $1 AND student_id = $3 HAVING EXISTS (SELECT 1 FROM mine))`,
			i+1, x.Code, x.Title, asJSON(x.Subjects), x.Year, x.Term, x.Credits, x.Mark, x.Outcome, asJSON(x.Cells), c.batch())
	}
	if c.Replace != 0 {
		b.add(`replaced AS (UPDATE record SET replaced = %s WHERE school_id = $1 AND student_id = $3 AND id = %s
			AND replaced IS NULL AND EXISTS (SELECT 1 FROM mine))`,
			c.batch(), c.Replace)
	}
	if c.Detach != 0 {
		b.add(`detached AS (DELETE FROM attachment f USING signal s, mine WHERE f.school_id = $1
			AND (s.school_id, s.id) = (f.school_id, f.signal_id)
			AND s.student_id = $3 AND s.kind = 'claim' AND s.settled = '' AND s.id = %s)`, c.Detach)
	}
	if x := c.Attachment; x != nil {
		b.add(`attached AS (INSERT INTO attachment (school_id, signal_id, name, kind, content, at) SELECT $1, s.id, %s, %s, %s, $5
			FROM signal s, mine
				WHERE s.school_id = $1 AND s.student_id = $3 AND s.kind = 'claim' AND s.settled = '' AND s.id = %s
			ON CONFLICT (school_id, signal_id) DO UPDATE SET name = EXCLUDED.name,
			kind = EXCLUDED.kind, content = EXCLUDED.content, at = EXCLUDED.at)`,
			x.Name, x.Kind, x.Content, x.Claim)
	}
	if len(c.Letters) > 0 {
		b.add(`written AS (INSERT INTO letter (school_id, year, student_id, person_id, kind, key, detail, made_at, next_at)
			SELECT $1, $2, $3, t.id, l.kind, $2 || '/' || $3 || '/' || $4, l.detail, $5, $5
			FROM mine, jsonb_to_recordset(%s::jsonb) AS l(kind text, who text, detail jsonb)`+
			recipients+` ON CONFLICT DO NOTHING)`, asJSON(c.Letters))
	}
	for i, x := range c.Told {
		b.add(fmt.Sprintf("told%d AS (", i)+fmt.Sprintf(tellOf, "%[1]s", "$3", "%[2]s", "$5")+
			` AND EXISTS (SELECT 1 FROM mine))`, x.Kind, asJSON(x.Detail))
	}
	if x := c.Remark; x != nil {
		b.add(`remarked AS (INSERT INTO remark (school_id, year, student_id, kind, draft_id, course_code, rule, text, by_name, at)
			SELECT $1, $2, $3, %s, %s, %s, %s, %s, $7, $5 FROM mine)`,
			x.Kind, x.Draft, x.Course, x.Rule, x.Text)
	}
	if x := c.Answer; x != nil {
		b.add(`replied AS (UPDATE remark SET answer = %s, answered_by = $7, answered_at = $5 WHERE school_id = $1 AND year = $2
			AND student_id = $3 AND id = %s
			AND answer = '' AND EXISTS (SELECT 1 FROM mine))`, x.Answer, x.ID)
	}
	return saved, q.get(ctx, &saved, b.text+` SELECT EXISTS (SELECT 1 FROM mine)`, b.args...)
}

// batch is the number of the batch that a change is part of; none otherwise.
func (c *Change) batch() *int64 {
	if c.Batch == nil {
		return nil
	}
	return &c.Batch.Batch
}

// statement grows part by part; its arguments are numbered as they come.
type statement struct {
	text string
	args []any
}

func (b *statement) add(part string, args ...any) {
	numbers := make([]any, len(args))
	for i, arg := range args {
		b.args = append(b.args, arg)
		numbers[i] = fmt.Sprintf("%s%d%s", "$", len(b.args), castOf(arg))
	}
	b.text += ", " + fmt.Sprintf(part, numbers...)
}

// castOf tells the server an argument's type where it cannot infer it, in a list of selected values.
func castOf(arg any) string {
	switch arg.(type) {
	case bool:
		return "::boolean"
	case []byte:
		return "::bytea"
	case int, int64, *int64:
		return "::bigint"
	}
	return "::text"
}

// NextReceipt takes a receipt number; numbers may be left out.
func (q SheetQueries) NextReceipt(ctx context.Context) (n int64, err error) {
	return n, q.get(ctx, &n, `SELECT nextval('receipt_number')`)
}

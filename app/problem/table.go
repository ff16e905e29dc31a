package problem

import (
	"maps"
	"net/http"
	"slices"

	"rubricon/core/acts"
)

// Kind is how an error of a code is answered.
type Kind struct {
	Status int  // of HTTP
	Late   bool // only staff, or no browser, can meet it: its sentence comes with the answer and is not in a page's first load
}

// kinds has every code that a use case answers with. The front end's first load is made from it (ui/codes.json, make contract).
var kinds = map[Code]Kind{
	NotFound:                    {Status: http.StatusNotFound},
	NoCourse:                    {Status: http.StatusNotFound, Late: true},
	SignInFailed:                {Status: http.StatusUnauthorized},
	TooMany:                     {Status: http.StatusTooManyRequests},
	Fixed:                       {Status: http.StatusConflict},
	Barred:                      {Status: http.StatusConflict},
	Earned:                      {Status: http.StatusConflict},
	NotOnSheet:                  {Status: http.StatusConflict},
	OnSheet:                     {Status: http.StatusConflict},
	NeedsName:                   {Status: http.StatusUnprocessableEntity, Late: true},
	BadFile:                     {Status: http.StatusUnprocessableEntity},
	BadGrade:                    {Status: http.StatusConflict, Late: true},
	StalePlan:                   {Status: http.StatusConflict, Late: true},
	NothingToAdd:                {Status: http.StatusConflict, Late: true},
	BadOrder:                    {Status: http.StatusConflict, Late: true},
	BadStandsFor:                {Status: http.StatusConflict, Late: true},
	OverMaximum:                 {Status: http.StatusConflict},
	SummerAlternate:             {Status: http.StatusConflict, Late: true},
	Full:                        {Status: http.StatusConflict},
	AtLimit:                     {Status: http.StatusConflict, Late: true},
	KeyReused:                   {Status: http.StatusUnprocessableEntity, Late: true},
	TooComplex:                  {Status: http.StatusConflict},
	NoClaim:                     {Status: http.StatusConflict, Late: true},
	NotACourse:                  {Status: http.StatusUnprocessableEntity, Late: true},
	BadMark:                     {Status: http.StatusUnprocessableEntity, Late: true},
	NotSettledHere:              {Status: http.StatusConflict, Late: true},
	NeedsReason:                 {Status: http.StatusUnprocessableEntity},
	NeedsMessage:                {Status: http.StatusUnprocessableEntity, Late: true},
	NeedsAgreed:                 {Status: http.StatusUnprocessableEntity},
	NeedsCommitment:             {Status: http.StatusUnprocessableEntity},
	BadAct:                      {Status: http.StatusUnprocessableEntity, Late: true},
	BadPassword:                 {Status: http.StatusUnprocessableEntity},
	CommonPassword:              {Status: http.StatusUnprocessableEntity, Late: true},
	BadToken:                    {Status: http.StatusUnprocessableEntity, Late: true},
	BadHook:                     {Status: http.StatusUnprocessableEntity, Late: true},
	BadAddress:                  {Status: http.StatusUnprocessableEntity, Late: true},
	NoHookKey:                   {Status: http.StatusConflict, Late: true},
	BadWindow:                   {Status: http.StatusUnprocessableEntity, Late: true},
	BadCode:                     {Status: http.StatusUnprocessableEntity, Late: true},
	OldCode:                     {Status: http.StatusConflict, Late: true},
	NoGuardian:                  {Status: http.StatusUnprocessableEntity, Late: true},
	NoAddress:                   {Status: http.StatusConflict, Late: true},
	Elsewhere:                   {Status: http.StatusConflict, Late: true},
	Busy:                        {Status: http.StatusServiceUnavailable},
	Crowded:                     {Status: http.StatusServiceUnavailable, Late: true},
	TaskOver:                    {Status: http.StatusConflict, Late: true},
	TooManyTasks:                {Status: http.StatusConflict, Late: true},
	NotZip:                      {Status: http.StatusUnprocessableEntity, Late: true},
	TooMuch:                     {Status: http.StatusUnprocessableEntity, Late: true},
	BadRevision:                 {Status: http.StatusUnprocessableEntity, Late: true},
	BadRecord:                   {Status: http.StatusUnprocessableEntity, Late: true},
	BadCondition:                {Status: http.StatusUnprocessableEntity, Late: true},
	NoRule:                      {Status: http.StatusUnprocessableEntity, Late: true},
	RemindedToday:               {Status: http.StatusConflict, Late: true},
	SectionChanged:              {Status: http.StatusConflict, Late: true},
	BadSection:                  {Status: http.StatusUnprocessableEntity, Late: true},
	RunBehind:                   {Status: http.StatusConflict, Late: true},
	NotPlaceable:                {Status: http.StatusConflict, Late: true},
	SeatGone:                    {Status: http.StatusConflict, Late: true},
	SeatClash:                   {Status: http.StatusConflict, Late: true},
	NoSection:                   {Status: http.StatusNotFound, Late: true},
	EntryOpen:                   {Status: http.StatusConflict, Late: true},
	WeekOpen:                    {Status: http.StatusConflict, Late: true},
	SeatFree:                    {Status: http.StatusConflict, Late: true},
	SectionTaken:                {Status: http.StatusConflict, Late: true},
	SectionBegun:                {Status: http.StatusConflict, Late: true},
	BadDate:                     {Status: http.StatusConflict, Late: true},
	NeedsSettling:               {Status: http.StatusConflict, Late: true},
	MarksChanged:                {Status: http.StatusConflict, Late: true},
	ChangeUnderWay:              {Status: http.StatusConflict, Late: true},
	AttendanceAway:              {Status: http.StatusConflict, Late: true},
	BadRemovals:                 {Status: http.StatusConflict, Late: true},
	GoneOn:                      {Status: http.StatusConflict, Late: true},
	Code(acts.NotTheSheet):      {Status: http.StatusConflict, Late: true},
	Code(acts.NotYours):         {Status: http.StatusForbidden},
	Code(acts.NoWindowYet):      {Status: http.StatusConflict},
	Code(acts.NotOpenYet):       {Status: http.StatusConflict},
	Code(acts.Closed):           {Status: http.StatusConflict},
	Code(acts.ClosedForAll):     {Status: http.StatusConflict, Late: true},
	Code(acts.NotNeeded):        {Status: http.StatusConflict, Late: true},
	Code(acts.NoPaper):          {Status: http.StatusConflict, Late: true},
	Code(acts.AlreadyDone):      {Status: http.StatusConflict},
	Code(acts.Stale):            {Status: http.StatusConflict},
	Code(acts.Locked):           {Status: http.StatusConflict},
	Code(acts.NothingSubmitted): {Status: http.StatusConflict, Late: true},
	Code(acts.ChangedSince):     {Status: http.StatusConflict, Late: true},
	Code(acts.NotSigned):        {Status: http.StatusConflict},
	Code(acts.NotCleared):       {Status: http.StatusConflict, Late: true},
	Code(acts.NothingToUndo):    {Status: http.StatusConflict},
	Code(acts.NothingToRedo):    {Status: http.StatusConflict},
	Code(acts.OthersAct):        {Status: http.StatusConflict},
	Code(acts.OthersBatch):      {Status: http.StatusConflict, Late: true},
	Code(acts.NotLookedAt):      {Status: http.StatusConflict, Late: true},
	Code(acts.NotReady):         {Status: http.StatusConflict},
}

// protocol are the codes of errors that the server answers before a use case is asked, and reasons of the core that come inside an answer;
// their status is set where they are met. All are late.
var protocol = []Code{"other-site", "no-method", "bad-text", "slow-body", "no-body", "own-uploads", "own-streams", "bad-year", "no-encoding", "second-step", "bad-passkey", "not-asked", "no-seat", "same-time", "beside-request", "linked-apart"}

// StatusOf returns the HTTP status that an error of a code is answered with.
func StatusOf(code Code) int {
	if kind, known := kinds[code]; known {
		return kind.Status
	}
	return http.StatusConflict
}

// Late returns the codes whose sentences are not in a page's first load, sorted.
func Late() []Code {
	list := slices.Clone(protocol)
	for code := range maps.Keys(kinds) {
		if kinds[code].Late {
			list = append(list, code)
		}
	}
	slices.Sort(list)
	return list
}

package acts

// Why is the reason for which an act is not allowed.
type Why string

// The reasons, in the order in which they are looked at.
const (
	NotTheSheet      Why = "not-the-sheet" // what lies there is a draft, or what was
	NotYours         Why = "forbidden"
	NoWindowYet      Why = "no-window"
	NotOpenYet       Why = "not-open-yet"
	Closed           Why = "window-closed" // for families
	ClosedForAll     Why = "closed-for-all"
	NotNeeded        Why = "not-needed"    // the school's settings have no such act
	NoPaper          Why = "no-paper"      // signatures on paper are not recorded here
	AlreadyDone      Why = "already-done"  // doing it again changes nothing
	Stale            Why = "stale-version" // the sheet is not what was looked at
	Locked           Why = "locked"        // cleared or placed
	NothingSubmitted Why = "nothing-submitted"
	ChangedSince     Why = "changed-since" // since it was submitted
	NotSigned        Why = "not-signed"
	NotCleared       Why = "not-cleared"
	NothingToUndo    Why = "nothing-to-undo"
	NothingToRedo    Why = "nothing-to-redo"
	OthersAct        Why = "others-act"   // someone else did what would be undone
	OthersBatch      Why = "others-batch" // to many students at once
	NotLookedAt      Why = "not-looked-at"
	NotReady         Why = "not-ready" // something is still to do
)

package acts

// SchoolAct is something a person may want to do in a school, apart from any one sheet.
type SchoolAct uint8

// The acts.
const (
	SeeCatalog   SchoolAct = iota
	SeeCaseload            // the students of the school and what they wait for
	ManagePeople           // find people, give a new password
	ManageData             // take the school's data in, and give them out
	SeeClasses             // the students whom one teaches now
	ManageRules            // change the rules and the courses
	LeadCourses            // take students into the courses that one leads
	Schedule               // plan sections, place requests, and publish what was placed
)

// InSchool reports whether a person who belongs to a school may do something there. Counsels and Teaches in r mean any
// student, Leads any course.
func InSchool(a SchoolAct, r Relation) bool {
	switch a {
	case SeeCatalog:
		return true
	case SeeClasses:
		return r.Teaches
	case LeadCourses:
		return r.Leads
	case SeeCaseload:
		return r.Counselor || r.Office
	case ManagePeople, ManageData, ManageRules, Schedule:
		return r.Office
	}
	return false
}

// TakesBack reports what is against taking back what was done to many students at once; "": nothing. Who did it
// may, and the office. One student alone is up to anyone who prepares their sheet.
func TakesBack(r Relation, own, one bool) Why {
	switch {
	case !InSchool(SeeCaseload, r):
		return NotYours
	case !own && !one && !r.Office:
		return OthersBatch
	}
	return ""
}

package account

import (
	"errors"
	"testing"

	"rubricon/app/account"
)

// A filter of another system is understood, or refused as the standard has it; it never gives a row that is not there, and none of its fields is one that is kept back.
func FuzzRosterFilter(f *testing.F) {
	kind := &RosterKinds[7]
	rows := []account.Cells{{"sourcedId": "s1", "familyName": "Quill", "role": "student", "password": "x"}, {"sourcedId": "s2", "familyName": "O'Pell", "role": "teacher", "password": "y"}}
	for _, seed := range [][2]string{{"role='student'", "familyName"}, {"familyName~'O''' AND role!='x'", "role"}, {"a", ""}, {"password='x'", "password"}, {"role='a' OR role='b' AND role='c'", "status"}} {
		f.Add(seed[0], seed[1])
	}
	f.Fuzz(func(t *testing.T, filter, fields string) {
		left, err := kind.chosen(rows, filter)
		var fault *rosterFault
		if err != nil && (!errors.As(err, &fault) || fault.status != 400) {
			t.Fatalf("%q: %v", filter, err)
		}
		if len(left) > len(rows) {
			t.Fatalf("%q: %d rows of %d", filter, len(left), len(rows))
		}
		list, err := kind.wanted(fields)
		if err != nil {
			return
		}
		for _, r := range left {
			if o := kind.object(r, list, func(_, id string) any { return id }); o["password"] != nil {
				t.Fatalf("%q shows a password", fields)
			}
		}
	})
}

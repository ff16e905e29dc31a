package attendance_test

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"rubricon/attendance"
	"rubricon/attendance/standin"
)

// Marks are read, moved and taken back through the stand-in, whole or not at all, and once however often that is asked for.
func TestMarksGoThereAndBack(t *testing.T) {
	s := standin.New("secret")
	server := httptest.NewServer(s)
	defer server.Close()
	c, err := attendance.New(server.URL+"/", "secret")
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range []attendance.Mark{{Student: "s1", Section: "phy-1", Date: "2027-10-13", Mark: "present"}, {Student: "s1", Section: "phy-1", Date: "2027-10-14", Mark: "absent"}, {Student: "s1", Section: "phy-1", Date: "2027-10-15", Mark: "late"}, {Student: "s2", Section: "phy-1", Date: "2027-10-13", Mark: "present"}} {
		s.Put("point", m)
	}
	has := func(student string) string {
		list, err := c.Marks(t.Context(), "point", student)
		if err != nil {
			t.Fatal(err)
		}
		var words []string
		for _, m := range list {
			words = append(words, fmt.Sprint(m.Section, " ", m.Date[8:], " ", m.Mark))
		}
		return strings.Join(words, ", ")
	}
	change := &attendance.Change{Key: "one", Move: []attendance.Move{{Mark: attendance.Mark{Student: "s1", Section: "phy-1", Date: "2027-10-14"}, To: "tid-1", As: "present"}},
		Delete: []attendance.Mark{{Student: "s1", Section: "phy-1", Date: "2027-10-15"}}}
	for range 2 {
		if err := c.Change(t.Context(), "point", change); err != nil {
			t.Fatal(err)
		}
		if got := has("s1"); got != "phy-1 13 present, tid-1 14 present" {
			t.Errorf("after the change: %s", got)
		}
	}
	gone := &attendance.Change{Key: "two", Move: []attendance.Move{{Mark: attendance.Mark{Student: "s1", Section: "phy-1", Date: "2027-10-13"}, To: "x"}, {Mark: attendance.Mark{Student: "s1", Section: "nowhere", Date: "2027-10-13"}, To: "x"}}}
	if err := c.Change(t.Context(), "point", gone); !errors.Is(err, attendance.ErrRefused) || has("s1") != "phy-1 13 present, tid-1 14 present" {
		t.Errorf("a mark that is not there: %v, %s", err, has("s1"))
	}
	if got := has("s2"); got != "phy-1 13 present" {
		t.Errorf("somebody else has %s", got)
	}
	stranger, _ := attendance.New(server.URL, "guess")
	if _, err := stranger.Marks(t.Context(), "point", "s1"); !errors.Is(err, attendance.ErrAway) {
		t.Errorf("without the token: %v", err)
	}
	s.Away(true)
	if _, err := c.Marks(t.Context(), "point", "s1"); !errors.Is(err, attendance.ErrAway) {
		t.Errorf("while it is away: %v", err)
	}
	s.Away(false)
	if _, err := attendance.New("nowhere", ""); err == nil {
		t.Error("an address that is none")
	}

	// The page makes marks, and gives them out as the format has them.
	post := func(date string) int {
		res, err := http.PostForm(server.URL, url.Values{"school": {"point"}, "student": {"s3"}, "section": {"phy-1"}, "date": {date}, "mark": {"excused"}})
		if err != nil {
			t.Fatal(err)
		}
		_ = res.Body.Close()
		return res.StatusCode
	}
	if a, b := post("2027-10-13"), post("soon"); a != 200 || b != 400 {
		t.Errorf("a mark by hand: %d; without a date: %d", a, b)
	}
	res, err := http.Get(server.URL + "/point/attendance.csv")
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	text, _ := io.ReadAll(res.Body)
	if want := "student,classSourcedId,date,mark\ns1,phy-1,2027-10-13,present\ns1,tid-1,2027-10-14,present\ns2,phy-1,2027-10-13,present\ns3,phy-1,2027-10-13,excused\n"; string(text) != want {
		t.Errorf("attendance.csv:\n%s", text)
	}
}

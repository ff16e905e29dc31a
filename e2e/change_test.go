package e2e

import (
	"net/http/httptest"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"

	"rubricon/app"
	"rubricon/attendance"
	"rubricon/attendance/standin"
	"rubricon/demo"
	"rubricon/internal/testdb"
)

// A counselor moves a student from one section to another from a day on: the date line is moved by keys, attendance that hangs is settled, and the other system has it where it belongs.
func TestChangingWithADate(t *testing.T) {
	s := newSite(t)
	planted := s.withPoint()["sk001"]
	marks := standin.New("secret")
	other := httptest.NewServer(marks)
	t.Cleanup(other.Close)
	client, err := attendance.New(other.URL, "secret")
	if err != nil {
		t.Fatal(err)
	}
	s.away()
	s.cases = app.New(s.db, app.Options{Now: func() time.Time { return testdb.Now }, Log: testdb.Quiet, Hashes: testdb.Hashes, Attendance: client})
	s.back()
	s.takes("sk001", planted[:7]...)
	for day, mark := range map[string]string{"2027-08-30": "present", "2027-08-31": "present", "2027-09-01": "absent", "2027-09-02": "absent"} {
		marks.Put(demo.SkerryID, attendance.Mark{Student: "sk001", Section: planted[0], Date: day, Mark: mark})
	}
	k := s.as("ms.torvund", desk)
	k.press("nav a", "^Seats$")
	k.press("[data-testid=choosing] a", "Sandaker, Runa")
	k.press("nav a", "^Back to the student$")
	k.press("main a", "^Change with a date$")
	k.says("[data-testid=stays] li", "English 10[\\s\\S]*from Mon 30 Aug[\\s\\S]*there 2 · late 0 · not there 2")
	k.accessible("what she is and was in")
	k.MustElement("main select").MustSelect("1 · English 10")
	k.says("[data-testid=fits] button", "May take it.").MustClick()
	k.says("h1", "^Runa leaves English 10 for .* on Mon 30 Aug.$")
	k.says("main li", "English 10: never attended, leaves no trace")
	k.MustElement("input[type=range]").MustFocus()
	keys(k, input.ArrowRight, input.ArrowRight)
	k.says("h1", "on Wed 1 Sept?.$")
	k.says("[data-testid=settle]", "Wed 1 Sept? not there and Thu 2 Sept? not there")
	k.accessible("a change, with what hangs")
	k.press("[data-testid=settle] label", "^Move it to")
	k.MustElement("[data-testid=settle] select").MustSelect("as there")
	k.says("label", "^Why; it is kept").MustElement("input").MustInput("The bus.")
	k.press("main button", "^Change on Wed 1 Sep")
	k.says("main [role=status]", "Changed from Wed 1 Sep")
	k.says("[data-testid=stays] li", "English 10[\\s\\S]*Mon 30 Aug, until before Wed 1 Sep[\\s\\S]*there 2 · late 0 · not there 0")
	if list := marks.Marks(demo.SkerryID, "sk001"); len(list) != 4 || list[2].Section == planted[0] || list[2].Mark != "present" || list[1].Section != planted[0] {
		t.Errorf("attendance: %+v", list)
	}
	k.language("es")
	k.says("h1", "¿qué cambia y desde cuándo?")
}

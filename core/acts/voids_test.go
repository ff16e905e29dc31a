package acts

import (
	"testing"
	"time"
)

func TestWhatAChangeVoids(t *testing.T) {
	apart := Summer{Window: Window{Opens: time.Date(2027, 5, 1, 0, 0, 0, 0, time.UTC)}}
	for name, c := range map[string]struct {
		is           Case
		year, summer bool
	}{
		"nothing is submitted":         {Case{State: InProgress}, false, false},
		"it was returned":              {Case{State: SentBack}, false, false},
		"it is submitted":              {Case{State: Submitted}, true, true},
		"it is signed":                 {Case{State: Signed}, true, true},
		"it is approved":               {Case{State: Cleared}, true, true},
		"it was changed since":         {Case{State: Submitted, Changed: true}, false, false},
		"the summer is on its own":     {Case{State: Submitted, Summer: apart}, true, false},
		"a draft of what is handed in": {Case{State: Submitted, Kind: ADraft}, false, false},
	} {
		if year, summer := c.is.Voids(false), c.is.Voids(true); year != c.year || summer != c.summer {
			t.Errorf("%s: a change of the year %v, of the summer %v", name, year, summer)
		}
	}
}

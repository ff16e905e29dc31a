package store

import (
	"fmt"
	"testing"
)

func TestEntriesAsText(t *testing.T) {
	for text, want := range map[string]string{
		"": "[]",
		"request\x1f2\x1f1\x1fB\x1erequest\x1f1\x1f9\x1fA":                                                         "[{A false 1 } {B false 2 }]",
		"alternate\x1f1\x1f1\x1fX\x1fA\x1erequest\x1f7\x1f1\x1fA":                                                  "[{A false 7 } {X true 1 A}]",
		"request\x1f1\x1f2\x1fB\x1erequest\x1f1\x1f1\x1fA\x1ealternate\x1f1\x1f2\x1fD\x1ealternate\x1f1\x1f1\x1fC": "[{A false 1 } {B false 1 } {C true 1 } {D true 1 }]",
	} {
		var l entryList
		if err := l.Scan(text); err != nil || fmt.Sprint([]EntryRow(l)) != want {
			t.Errorf("%q: %v, %v, want %s", text, l, err, want)
		}
	}
	if err := new(entryList).Scan("request\x1f1"); err == nil || err.Error() != "an entry of a sheet has 2 cells" {
		t.Error(err)
	}
	for _, bad := range []any{nil, 7, "request", "request\x1fx\x1f1\x1fA", "request\x1f1\x1fx\x1fA", "request\x1f1\x1f1"} {
		l := entryList{{Course: "old"}}
		if err := l.Scan(bad); err == nil {
			t.Errorf("%q is read as %v", bad, l)
		}
	}
}

func TestJSONColumns(t *testing.T) {
	for _, src := range []any{[]byte(`["a"]`), `["a"]`} {
		var j JSON[[]string]
		if err := j.Scan(src); err != nil || len(j.V) != 1 || j.V[0] != "a" {
			t.Errorf("%T: %v, %v", src, j.V, err)
		}
	}
	var j JSON[[]string]
	if err := j.Scan(nil); err != nil || j.V != nil {
		t.Errorf("NULL: %v, %v", j.V, err)
	}
	if err := j.Scan(7); err == nil {
		t.Error("a number is read")
	}
	for v, want := range map[any]string{7: "7", "": `""`} {
		if got := asJSON(v); got != want {
			t.Errorf("%v: %s", v, got)
		}
	}
	if got := asJSON([]string(nil)); got != "[]" {
		t.Errorf("no list: %s", got)
	}
}

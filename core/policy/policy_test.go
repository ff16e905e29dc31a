package policy_test

import (
	"bytes"
	"encoding/json"
	"os"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"rubricon/core/policy"
)

func demoPolicy(t testing.TB) []byte {
	t.Helper()
	text, err := os.ReadFile("../../demo/policy.json")
	if err != nil {
		t.Fatal(err)
	}
	return text
}

// The shipped JSON Schema and the reader must agree on what a policy is.
func TestSchemaAndReaderAgree(t *testing.T) {
	schema, err := jsonschema.UnmarshalJSON(bytes.NewReader(policy.Schema))
	if err != nil {
		t.Fatal(err)
	}
	compiler := jsonschema.NewCompiler()
	if err := compiler.AddResource("policy.schema.json", schema); err != nil {
		t.Fatal(err)
	}
	compiled, err := compiler.Compile("policy.schema.json")
	if err != nil {
		t.Fatal(err)
	}
	for text, good := range map[string]bool{
		string(demoPolicy(t)):                                      true,
		`{"schoolYear":"2027-28","periods":8}`:                     true,
		`{"schoolYear":"2027-28"}`:                                 false,
		`{"schoolYear":"2027","periods":8}`:                        false,
		`{"schoolYear":"2027-28","periods":0}`:                     false,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"min":1}]}`: false,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","on":"earned","measure":"load"}]}`:        false,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","on":"taken","term":"S1"}]}`:              false,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","of":{"colour":["red"]}}]}`:               false,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","when":{"on":"requests"}}]}`:              false,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","when":{"min":1},"stance":"advise"}]}`:    true,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","stance":"shout"}]}`:                      false,
		`{"schoolYear":"2027-28","periods":8,"audits":[{"id":"a","entries":[{"id":"e"}]}]}`:               false,
		`{"schoolYear":"2027-28","periods":8,"audits":[{"id":"a","entries":[{"id":"e","credits":1.5}]}]}`: true,
		`{"schoolYear":"2027-28","periods":8,"firstGrade":9,"rules":[{"id":"a","of":"every"}]}`:           false,
	} {
		value, err := jsonschema.UnmarshalJSON(bytes.NewReader([]byte(text)))
		if err != nil {
			t.Fatal(err)
		}
		if err := compiled.Validate(value); (err == nil) != good {
			t.Errorf("the schema on %.120s: %v", text, err)
		}
		if _, problems, _ := policy.Parse([]byte(text)); (len(problems) == 0) != good {
			t.Errorf("the reader on %.120s: %v", text, problems)
		}
	}
}

func TestProblemsNameTheirPlace(t *testing.T) {
	for text, want := range map[string]string{
		"{\n\"schoolYear\":\"2027-28\",\"periods\":8,\n\"rules\":[\n{\"id\":\"a\",\"of\":\"group:x\"}]}":         "4: rules.a.of: the group “x” is not in groups",
		`{"schoolYear":"2027-28","periods":8,"groups":{"a":"group:b","b":{"not":"group:a"}}}`:                    "1: groups.a: refers back to itself; take the cycle out",
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a"},{"id":"a"}]}`:                                   "1: rules.a: the id is used twice",
		`{"schoolYear":"2027-28","periods":8,"audits":[{"id":"g","entries":[{"id":"e","credits":4,"each":1}]}]}`: "1: audits.g.e.each: needs the policy's firstGrade, the grade in which the years begin",
		`{"schoolYear":"2027-28","periods":8,"audits":[{"id":"g","entries":[{"id":"e","credits":"four"}]}]}`:     "1: audits.g.e.credits: \"four\" is not a number; write digits with an optional decimal point, like 0.5",
	} {
		_, problems, _ := policy.Parse([]byte(text))
		if len(problems) == 0 || problems[0].Error() != want {
			t.Errorf("%s: %v, want %q", text, problems, want)
		}
	}
}

func TestAnEmptyListSelectsNothing(t *testing.T) {
	var s policy.Selection
	if !s.Matches("A", nil, nil) {
		t.Error("a selection without any list must select everything")
	}
	s.Subjects = []string{}
	if s.Matches("A", []string{"Arts"}, nil) {
		t.Error("an empty list of subjects must select nothing")
	}
}

func TestYearLabels(t *testing.T) {
	for start, want := range map[int]string{2027: "2027-28", 1999: "1999-00", 2009: "2009-10"} {
		label := policy.YearLabel(start)
		if back, err := policy.StartYear(label); label != want || err != nil || back != start {
			t.Errorf("%d is written %s and read %d, %v", start, label, back, err)
		}
	}
}

func FuzzParse(f *testing.F) {
	f.Add(demoPolicy(f))
	f.Add([]byte(`{"schoolYear":"2027-28","periods":8,"groups":{"a":"group:b"},"rules":[{"id":"a","when":{"min":1}}]}`))
	f.Fuzz(func(t *testing.T, text []byte) {
		p, problems, _ := policy.Parse(text)
		if (p == nil) != (len(problems) > 0) {
			t.Fatalf("policy %v with problems %v", p, problems)
		}
		if p != nil && !json.Valid(bytes.TrimPrefix(text, []byte("\xef\xbb\xbf"))) {
			t.Fatal("what is not JSON was read")
		}
	})
}

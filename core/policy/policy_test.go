package policy_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"slices"
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
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","on":"earned","measure":"load"}]}`:                                                                                                                                   false,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","on":"taken","term":"S1"}]}`:                                                                                                                                         false,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","of":{"colour":["red"]}}]}`:                                                                                                                                          false,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","when":{"on":"requests"}}]}`:                                                                                                                                         false,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","when":{"min":1},"stance":"advise"}]}`:                                                                                                                               true,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","stance":"shout"}]}`:                                                                                                                                                 false,
		`{"schoolYear":"2027-28","periods":8,"audits":[{"id":"a","entries":[{"id":"e"}]}]}`:                                                                                                                                          false,
		`{"schoolYear":"2027-28","periods":8,"audits":[{"id":"a","entries":[{"id":"e","credits":1.5}]}]}`:                                                                                                                            true,
		`{"schoolYear":"2027-28","periods":8,"firstGrade":9,"rules":[{"id":"a","of":"every"}]}`:                                                                                                                                      false,
		`{"schoolYear":"2027-28","periods":8,"lastGrade":13,"holidays":["2027-11-25"]}`:                                                                                                                                              true,
		`{"schoolYear":"2027-28","periods":8,"settings":{"overMaximum":"refuse","exchange":false,"summerCounts":true}}`:                                                                                                              true,
		`{"schoolYear":"2027-28","periods":8,"settings":{"timeZone":"Europe/Oslo","language":"nb","languages":["nb","en-GB"],"currency":"NOK","unit":{"nb":{"one":"poeng","other":"poeng"}}}}`:                                       true,
		`{"schoolYear":"2027-28","periods":8,"settings":{"contacts":[{"for":"courses","name":"A","mail":"a@school.example","book":"https://school.example/book"}],"stages":[{"from":"2027-03-12T16:00","text":{"en":"It opens"}}]}}`: true,
		`{"schoolYear":"2027-28","periods":8,"commitments":[{"id":"stay","grades":[9],"when":{"min":1},"who":"guardian","text":"I stay."}],"welcome":[{"grades":[9],"text":{"en":"Welcome","es":"Bienvenidos"}}]}`:                   true,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","label":{"en":"All","es":"Todo"}}]}`:                                                                                                                                 true,
		`{"schoolYear":"2027-28","periods":8,"lastGrade":21}`:                                                                                                                                                                        false,
		`{"schoolYear":"2027-28","periods":8,"lastGrade":"12"}`:                                                                                                                                                                      false,
		`{"schoolYear":"2027-28","periods":8,"holidays":["25 November"]}`:                                                                                                                                                            false,
		`{"schoolYear":"2027-28","periods":8,"holidays":"2027-11-25"}`:                                                                                                                                                               false,
		`{"schoolYear":"2027-28","periods":8,"settings":{"overMaximum":"warn"}}`:                                                                                                                                                     false,
		`{"schoolYear":"2027-28","periods":8,"settings":{"exchange":"no"}}`:                                                                                                                                                          false,
		`{"schoolYear":"2027-28","periods":8,"settings":{"summerCounts":1}}`:                                                                                                                                                         false,
		`{"schoolYear":"2027-28","periods":8,"settings":{"timeZone":""}}`:                                                                                                                                                            false,
		`{"schoolYear":"2027-28","periods":8,"settings":{"language":"English!"}}`:                                                                                                                                                    false,
		`{"schoolYear":"2027-28","periods":8,"settings":{"languages":["en","x"]}}`:                                                                                                                                                   false,
		`{"schoolYear":"2027-28","periods":8,"settings":{"currency":"dollars"}}`:                                                                                                                                                     false,
		`{"schoolYear":"2027-28","periods":8,"settings":{"unit":{"one":"credit"}}}`:                                                                                                                                                  false,
		`{"schoolYear":"2027-28","periods":8,"settings":{"unit":{"one":"credit","other":"credits","many":"credits"}}}`:                                                                                                               false,
		`{"schoolYear":"2027-28","periods":8,"settings":{"unit":{"en":{"one":"credit"}}}}`:                                                                                                                                           false,
		`{"schoolYear":"2027-28","periods":8,"settings":{"contacts":[{"for":"lunch"}]}}`:                                                                                                                                             false,
		`{"schoolYear":"2027-28","periods":8,"settings":{"contacts":[{"for":"courses","book":"http://school.example"}]}}`:                                                                                                            false,
		`{"schoolYear":"2027-28","periods":8,"settings":{"contacts":[{"for":"courses","fax":"1"}]}}`:                                                                                                                                 false,
		`{"schoolYear":"2027-28","periods":8,"settings":{"stages":[{"from":"March","text":"It opens"}]}}`:                                                                                                                            false,
		`{"schoolYear":"2027-28","periods":8,"settings":{"stages":[{"from":"2027-03-12"}]}}`:                                                                                                                                         false,
		`{"schoolYear":"2027-28","periods":8,"commitments":[{"id":"stay"}]}`:                                                                                                                                                         false,
		`{"schoolYear":"2027-28","periods":8,"commitments":[{"text":"I stay."}]}`:                                                                                                                                                    false,
		`{"schoolYear":"2027-28","periods":8,"commitments":[{"id":"stay","text":"I stay.","who":"counselor"}]}`:                                                                                                                      false,
		`{"schoolYear":"2027-28","periods":8,"commitments":[{"id":"stay","text":"I stay.","when":{"on":"earned"}}]}`:                                                                                                                 false,
		`{"schoolYear":"2027-28","periods":8,"commitments":[{"id":"stay","text":"I stay.","colour":"red"}]}`:                                                                                                                         false,
		`{"schoolYear":"2027-28","periods":8,"welcome":[{"grades":[9]}]}`:                                                                                                                                                            false,
		`{"schoolYear":"2027-28","periods":8,"welcome":[{"text":{"not a tag":"Welcome"}}]}`:                                                                                                                                          false,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","on":"summer","measure":"credits","when":{"on":"summer","max":0}}]}`:                                                                                                 true,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","on":"summer","measure":"load"}]}`:                                                                                                                                   false,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","on":"summer","term":"S1"}]}`:                                                                                                                                        false,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","when":{"on":"summer","term":"S1","min":1}}]}`:                                                                                                                       false,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","on":"sections"}]}`:                                                                                                                                                  false,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","of":{"periods":[1]}}]}`:                                                                                                                                             false,
		`{"schoolYear":"2027-28","periods":8,"fill":{"periods":[1,2,8],"rules":[{"id":"club","of":{"periods":[8],"not":{"periods":[1]}},"min":1,"max":1,"when":{"on":"taken","min":1}}]}}`:                                           true,
		`{"schoolYear":"2027-28","periods":8,"fill":{"rules":[{"id":"a","measure":"credits","term":"S1","when":{"on":"sections","term":"S1","max":2}}]}}`:                                                                            true,
		`{"schoolYear":"2027-28","periods":8,"fill":{"rules":[{"id":"a","when":{"on":"requests","measure":"load","term":"S1","max":2}}]}}`:                                                                                           true,
		`{"schoolYear":"2027-28","periods":8,"fill":{"periods":[0]}}`:                                                                                                                                                                false,
		`{"schoolYear":"2027-28","periods":8,"fill":{"rules":[{"id":"a","on":"requests"}]}}`:                                                                                                                                         false,
		`{"schoolYear":"2027-28","periods":8,"fill":{"rules":[{"id":"a","measure":"load"}]}}`:                                                                                                                                        false,
		`{"schoolYear":"2027-28","periods":8,"fill":{"rules":[{"id":"a","when":{"measure":"load","min":1}}]}}`:                                                                                                                       false,
		`{"schoolYear":"2027-28","periods":8,"fill":{"rules":[{"id":"a","when":{"on":"taken","measure":"load","min":1}}]}}`:                                                                                                          false,
		`{"schoolYear":"2027-28","periods":8,"fill":{"days":[1]}}`:                                                                                                                                                                   false,
		`{"schoolYear":"2027-28","periods":8,"audit":[]}`:                                                                                                                                                                            false,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","minimum":1}]}`:                                                                                                                                                      false,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","when":{"min":1,"stance":"block"}}]}`:                                                                                                                                false,
		`{"schoolYear":"2027-28","periods":8,"commitments":[{"id":"a","text":"I","when":{"min":1,"id":"b"}}]}`:                                                                                                                       false,
		`{"schoolYear":"2027-28","periods":8,"fill":{"rules":[{"id":"a","maximum":1}]}}`:                                                                                                                                             false,
		`{"schoolYear":"2027-28","periods":8,"fill":{"rules":[{"id":"a","when":{"min":1,"grades":[9]}}]}}`:                                                                                                                           false,
		`{"schoolYear":"2027-28","periods":8,"audits":[{"id":"a","rules":[]}]}`:                                                                                                                                                      false,
		`{"schoolYear":"2027-28","periods":8,"audits":[{"id":"a","entries":[{"id":"e","credits":1,"until":10}]}]}`:                                                                                                                   false,
		`{"schoolYear":"2027-28","periods":8,"placement":{"senority":true}}`:                                                                                                                                                         false,
		`{"schoolYear":"2027-28","periods":8,"placement":{"take":"cleared"}}`:                                                                                                                                                        false,
		`{"schoolYear":"2027-28","periods":8,"placement":{"take":"signed","seniority":true}}`:                                                                                                                                        true,
		`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","label":7}]}`:                                                                                                                                                        false,
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

func TestASchoolYearsOwnSettings(t *testing.T) {
	p, problems, notices := policy.Parse([]byte(`{"schoolYear":"2027-28","periods":8}`))
	if len(problems) > 0 || len(notices) > 0 {
		t.Fatal(problems, notices)
	}
	if s := p.Settings; p.LastGrade != 12 || s.TimeZone != "UTC" || s.Language != "en" || !slices.Equal(s.Languages, []string{"en"}) || s.Currency != "USD" ||
		s.OverMaximum != policy.FlagOver || s.NoExchange || s.SummerCounts || s.NoPaper {
		t.Errorf("the defaults: %+v, last grade %d", s, p.LastGrade)
	}
	p, problems, notices = policy.Parse([]byte(`{"schoolYear":"2027-28","periods":8,"lastGrade":13,"holidays":["2027-11-25"],
		"rules":[{"id":"a","label":{"es":"Todo","en":"All"}},{"id":"b"}],
		"commitments":[{"id":"stay","grades":[9],"when":{"min":1},"who":"guardian","text":"Me quedo."}],
		"welcome":[{"text":"Hola"}],
		"settings":{"language":"es","languages":["es","en"],"overMaximum":"refuse","exchange":false,"summerCounts":true,"paper":false,"timeZone":"Europe/Madrid","currency":"EUR",
			"unit":{"es":{"one":"crédito","other":"créditos"},"en":{"one":"credit","other":"credits"}},
			"contacts":[{"for":"technical","mail":"help@school.example"}],"stages":[{"from":"2027-03-12","text":{"es":"Se abre","en":"It opens"}}]}}`))
	if len(problems) > 0 {
		t.Fatal(problems)
	}
	s := p.Settings
	if p.LastGrade != 13 || !slices.Equal(p.Holidays, []string{"2027-11-25"}) || s.OverMaximum != policy.RefuseOver || !s.NoExchange || !s.SummerCounts || !s.NoPaper ||
		s.TimeZone != "Europe/Madrid" || s.Currency != "EUR" || !slices.Equal(s.Languages, []string{"es", "en"}) {
		t.Errorf("read: %+v", s)
	}
	for _, c := range []struct{ got, want string }{
		{s.One.In("es"), "crédito"}, {s.Many.In("en"), "credits"}, {s.Many.In("fr"), "créditos"},
		{s.Contacts[0].For + s.Contacts[0].Mail, "technicalhelp@school.example"},
		{s.Stages[0].From + s.Stages[0].Text.In("en"), "2027-03-12It opens"},
		{p.Rules[0].Label + p.Rules[0].Labels["en"], "TodoAll"}, {p.Rules[1].Label, "b"},
		{p.Commitments[0].ID + p.Commitments[0].Text.In("en"), "stayMe quedo."}, {p.Welcome[0].Text.Own, "Hola"},
	} {
		if c.got != c.want {
			t.Errorf("%q, want %q", c.got, c.want)
		}
	}
	if c := p.Commitments[0]; c.Student || !c.Guardian || c.When == nil || !slices.Equal(c.Grades, []int{9}) {
		t.Errorf("the commitment: %+v", c)
	}
	if len(notices) > 0 {
		t.Errorf("notices of what is known: %v", notices)
	}
}

func TestWhatIsWrongInTheSchoolYear(t *testing.T) {
	for text, want := range map[string]string{
		`{"schoolYear":"2027-28","periods":8,"commitments":[{"id":"a","text":"x"},{"id":"a","text":"y"}]}`:    "1: commitments.a: the id is used twice",
		`{"schoolYear":"2027-28","periods":8,"holidays":["2027-02-30"]}`:                                      "1: holidays: “2027-02-30” is not a date; write it like 2027-11-25",
		`{"schoolYear":"2027-28","periods":8,"settings":{"stages":[{"from":"2027-03-12T24:00","text":"x"}]}}`: "1: settings.stages.1.from: “2027-03-12T24:00” is not a date or time; write it like 2027-03-12 or 2027-03-12T16:00",
	} {
		_, problems, _ := policy.Parse([]byte(text))
		if len(problems) == 0 || problems[0].Error() != want {
			t.Errorf("%s: %v, want %q", text, problems, want)
		}
	}
}

func TestATextThatLacksTheSchoolsLanguageIsNoticed(t *testing.T) {
	p, problems, notices := policy.Parse([]byte(`{"schoolYear":"2027-28","periods":8,"rules":[{"id":"a","label":{"fr":"Tout","es":"Todo"}}],
		"settings":{"unit":{"es":{"one":"punto","other":"puntos"}}}}`))
	if len(problems) > 0 {
		t.Fatal(problems)
	}
	if p.Rules[0].Label != "Todo" || p.Settings.Many.In("en") != "puntos" {
		t.Errorf("in its place stand %q and %q", p.Rules[0].Label, p.Settings.Many.In("en"))
	}
	want := []string{"2: settings.unit: lacks the school's language, en; the text in es stands for it", "1: rules.a.label: lacks the school's language, en; the text in es stands for it"}
	for _, w := range want {
		if !slices.ContainsFunc(notices, func(n policy.Problem) bool { return n.Error() == w }) {
			t.Errorf("%q is not among the notices %v", w, notices)
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

// TestProblemsAreAtTheirLines: what is not a key, is there twice or has a wrong value is named at its own line, and takes nothing away unsaid.
func TestProblemsAreAtTheirLines(t *testing.T) {
	for text, want := range map[string]string{
		"{\n\"schoolYear\": \"2027-28\",\n\"periods\": 8,\n\"audit\": []\n}":                                     "4 audit: is not a key of the policy",
		"{\n\"schoolYear\": \"2027-28\",\n\"rules\": [],\n\"periods\": 8,\n\"rules\": []}":                       "5 rules: is there twice",
		"{\n\"schoolYear\": \"2027-28\",\n\"days\": 2,\n\"periods\": 99\n}":                                      "4 periods: must lie between 1 and 40",
		"{\"schoolYear\": \"2027-28\", \"periods\": 8,\n\"rules\": [{\"id\": \"a\",\n\"min\": 1,\n\"min\": 2}]}": "4 min: is there twice",
		"{\"schoolYear\": \"2027-28\", \"periods\": 8, \"days\": 8,\n\"lastGrade\": \"x\"}":                      "2 lastGrade: must be a whole number",
		"{\"schoolYear\": \"2027-28\", \"periods\": 8,\n\"rules\": [\n{\"id\": \"a\", \"minimum\": 1}\n]}":       "3 rules.a.minimum: is not known here",
	} {
		_, problems, _ := policy.Parse([]byte(text))
		if len(problems) != 1 || fmt.Sprintf("%d %s: %s", problems[0].Line, problems[0].Path, problems[0].What) != want {
			t.Errorf("%s: %+v, want %s", text, problems, want)
		}
	}
}

package problem

import (
	"encoding/json"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"strconv"
	"strings"
	"testing"
)

// Every code, and every reason of core/acts, has its line in the table, and a sentence.
func TestEveryCodeIsInTheTable(t *testing.T) {
	text, err := os.ReadFile("../../locales/en.json")
	if err != nil {
		t.Fatal(err)
	}
	var english struct{ Error map[string]any }
	if err := json.Unmarshal(text, &english); err != nil {
		t.Fatal(err)
	}
	found := 0
	for file, kind := range map[string]string{"problem.go": "Code", "../../core/acts/why.go": "Why"} {
		tree, err := parser.ParseFile(token.NewFileSet(), file, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		ast.Inspect(tree, func(n ast.Node) bool {
			spec, ok := n.(*ast.ValueSpec)
			if !ok || len(spec.Values) != 1 {
				return true
			}
			of, _ := spec.Type.(*ast.Ident)
			value, _ := spec.Values[0].(*ast.BasicLit)
			if of == nil || of.Name != kind || value == nil {
				return true
			}
			code, err := strconv.Unquote(value.Value)
			if err != nil {
				t.Fatal(err)
			}
			found++
			if at, known := kinds[Code(code)]; !known || at.Status < 400 {
				t.Errorf("%s has no line, or no status", code)
			}
			if _, said := english.Error[code]; !said && !strings.HasPrefix(code, "not-known") {
				t.Errorf("nothing is said of %s", code)
			}
			return true
		})
	}
	if found < 80 {
		t.Errorf("only %d codes were found", found)
	}
}

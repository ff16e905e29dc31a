package web

import (
	"bytes"
	"cmp"
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	webaccount "rubricon/web/account"
)

// referenceRoutes serve the contract, and the reference that is made of it: pages without scripts, and with
// nothing from outside.
func referenceRoutes(engine *gin.Engine, contract *huma.OpenAPI) {
	asJSON, err := contract.MarshalJSON()
	if err != nil {
		panic(err) // it is part of the program
	}
	var page bytes.Buffer
	if err := referencePage.Execute(&page, referenceOf(contract)); err != nil {
		panic(err)
	}
	serve := func(path, kind string, text []byte) {
		engine.GET(path, func(c *gin.Context) { c.Data(http.StatusOK, kind, text) })
	}
	serve("/api/openapi.json", "application/json", asJSON)
	serve("/api/reference", "text/html; charset=utf-8", page.Bytes())
	serve("/api/reference.css", "text/css; charset=utf-8", []byte(referenceStyle))
}

type (
	reference struct {
		Operations []refOperation
		Schemas    []refSchema
		Roster     []string
	}
	refOperation struct {
		ID, Method, Path, Summary string
		Params                    []refField
		Takes, Gives              template.HTML
	}
	refSchema struct {
		Name, Doc string
		Fields    []refField
	}
	refField struct {
		Name, Where, Doc string
		Kind             template.HTML
		Needed           bool
	}
)

func referenceOf(contract *huma.OpenAPI) *reference {
	out := &reference{}
	for path, item := range contract.Paths {
		for method, op := range map[string]*huma.Operation{"GET": item.Get, "PUT": item.Put, "POST": item.Post,
			"DELETE": item.Delete, "PATCH": item.Patch} {
			if op == nil {
				continue
			}
			o := refOperation{ID: op.OperationID, Method: method, Path: path, Summary: op.Summary}
			for _, p := range op.Parameters {
				o.Params = append(o.Params, refField{Name: p.Name, Where: p.In, Doc: cmp.Or(p.Description, schemaDoc(p.Schema)),
					Kind: kindOf(p.Schema), Needed: p.Required})
			}
			if op.RequestBody != nil {
				o.Takes = contentOf(op.RequestBody.Content)
			}
			for _, status := range []string{"200", "201"} {
				if r := op.Responses[status]; r != nil {
					o.Gives = contentOf(r.Content)
				}
			}
			out.Operations = append(out.Operations, o)
		}
	}
	slices.SortFunc(out.Operations, func(a, b refOperation) int {
		return cmp.Or(cmp.Compare(a.Path, b.Path), cmp.Compare(a.Method, b.Method))
	})
	for name, schema := range contract.Components.Schemas.Map() {
		x := refSchema{Name: name, Doc: schema.Description}
		for field, of := range schema.Properties {
			x.Fields = append(x.Fields, refField{Name: field, Where: "", Doc: of.Description, Kind: kindOf(of),
				Needed: slices.Contains(schema.Required, field)})
		}
		slices.SortFunc(x.Fields, func(a, b refField) int { return cmp.Compare(a.Name, b.Name) })
		out.Schemas = append(out.Schemas, x)
	}
	slices.SortFunc(out.Schemas, func(a, b refSchema) int { return cmp.Compare(a.Name, b.Name) })
	for _, k := range webaccount.RosterKinds {
		out.Roster = append(out.Roster, webaccount.RosterPath+"/"+k.Plural)
	}
	for _, p := range webaccount.RosterParts {
		out.Roster = append(out.Roster, webaccount.RosterPath+"/"+p.Parent+"/{id}/"+p.Child)
	}
	return out
}

func schemaDoc(s *huma.Schema) string {
	if s == nil {
		return ""
	}
	return s.Description
}

func contentOf(content map[string]*huma.MediaType) template.HTML {
	var out []string
	for kind, m := range content {
		switch {
		case kind != "application/json" || m.Schema == nil:
			out = append(out, template.HTMLEscapeString(kind))
		default:
			out = append(out, string(kindOf(m.Schema)))
		}
	}
	slices.Sort(out)
	return template.HTML(strings.Join(out, ", ")) //nolint:gosec // of names of the contract, escaped
}

// kindOf reports what a schema is, with a link where it has a name.
func kindOf(s *huma.Schema) template.HTML {
	if s == nil {
		return ""
	}
	esc := template.HTMLEscapeString
	switch {
	case s.Ref != "":
		name := s.Ref[strings.LastIndex(s.Ref, "/")+1:]
		return template.HTML(fmt.Sprintf(`<a href="#%s">%s</a>`, esc(name), esc(name))) //nolint:gosec // escaped
	case s.Type == "array":
		return "list of " + kindOf(s.Items)
	case s.Type == "object" && s.AdditionalProperties != nil:
		if of, ok := s.AdditionalProperties.(*huma.Schema); ok {
			return "object of " + kindOf(of)
		}
	}
	text := s.Type
	if s.Format != "" {
		text += " (" + s.Format + ")"
	}
	if len(s.Enum) > 0 {
		var values []string
		for _, v := range s.Enum {
			values = append(values, fmt.Sprint(v))
		}
		text += ": " + strings.Join(values, ", ")
	}
	var bounds []string
	for name, v := range map[string]*int{"at least %d characters": s.MinLength, "at most %d characters": s.MaxLength,
		"at least %d items": s.MinItems, "at most %d items": s.MaxItems} {
		if v != nil {
			bounds = append(bounds, fmt.Sprintf(name, *v))
		}
	}
	for name, v := range map[string]*float64{"at least %v": s.Minimum, "at most %v": s.Maximum} {
		if v != nil {
			bounds = append(bounds, fmt.Sprintf(name, *v))
		}
	}
	slices.Sort(bounds)
	if len(bounds) > 0 {
		text += "; " + strings.Join(bounds, ", ")
	}
	return template.HTML(esc(text)) //nolint:gosec // escaped
}

var referencePage = template.Must(template.New("reference").Parse(`<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>Rubricon: the interface for programs</title>
<link rel="stylesheet" href="/api/reference.css"><link rel="icon" href="/mark.svg" type="image/svg+xml"></head>
<body><main>
<h1>The interface for programs</h1>
<p>What follows is made of the contract that the application itself is checked against, <a href="/api/openapi.json">openapi.json</a> (OpenAPI 3.1). Errors are problem details (RFC 9457) with a <code>code</code>. People’s acts need the session of
whoever is signed in. Other systems read the roster below with a token that the school’s office makes under Data.</p>
<h2 id="roster">Rosters, by OneRoster 1.1</h2>
<p>Show the token as <code>Authorization: Bearer …</code>; it names the school, whose newest year is read. Each collection takes <code>limit</code> (1 to 5000, else 100), <code>offset</code>, <code>sort</code>, <code>orderBy</code>, <code>filter</code>
and <code>fields</code> as the standard has them, answers <code>X-Total-Count</code> and <code>Link</code>, and gives one of its own at <code>/</code> and the sourcedId.</p>
<ul>{{range .Roster}}<li><code>GET {{.}}</code></li>{{end}}</ul>
<h2 id="operations">Operations</h2>
{{range .Operations}}<section id="{{.ID}}"><h3><code>{{.Method}} {{.Path}}</code></h3><p>{{.Summary}}.</p>
{{if .Params}}<table><thead><tr><th scope="col">parameter</th><th scope="col">in</th><th scope="col">is</th></tr></thead><tbody>{{range .Params}}<tr><th scope="row"><code>{{.Name}}</code></th><td>{{.Where}}{{if .Needed}}, needed{{end}}</td><td>{{.Kind}} {{.Doc}}</td></tr>{{end}}</tbody></table>{{end}}
{{if .Takes}}<p>Takes {{.Takes}}.</p>{{end}}{{if .Gives}}<p>Gives {{.Gives}}.</p>{{end}}</section>
{{end}}<h2 id="schemas">What is taken and given</h2>
{{range .Schemas}}<section id="{{.Name}}"><h3>{{.Name}}</h3>{{if .Doc}}<p>{{.Doc}}</p>{{end}}
{{if .Fields}}<table><thead><tr><th scope="col">field</th><th scope="col">is</th></tr></thead><tbody>{{range .Fields}}<tr><th scope="row"><code>{{.Name}}</code>{{if .Needed}}, always{{end}}</th><td>{{.Kind}} {{.Doc}}</td></tr>{{end}}</tbody></table>{{end}}</section>
{{end}}</main></body></html>
`))

const referenceStyle = `body { margin: 0; padding: 1.5rem; background: #faf8f3; color: #1f2430; font: 1rem/1.5 Georgia, serif }
main { max-width: 60rem; margin: 0 auto }
h1, h2, h3 { font-weight: 500; line-height: 1.25 }
h2 { margin-top: 3rem; border-bottom: 1px solid #ddd6c8 }
h3 { margin: 2rem 0 0.25rem; font-size: 1rem }
code { font: 0.9em ui-monospace, monospace; overflow-wrap: anywhere }
a { color: #1f2430; text-underline-offset: 3px }
table { width: 100%; border-collapse: collapse; font-size: 0.9rem; table-layout: fixed }
th, td { border-top: 1px solid #ddd6c8; padding: 0.25rem 0.5rem 0.25rem 0; text-align: left; vertical-align: top; font-weight: 400; overflow-wrap: anywhere }
thead th { color: #5a606e }
`

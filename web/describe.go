package web

import (
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	webaccount "rubricon/web/account"
	"rubricon/web/server"
)

// describe adds to the contract the routes that are not made from it: those for operating, the contract's
// own, and those of the rosters, whose shape is that of OneRoster 1.1. What is in no session has the tag of
// its kind.
func describe(contract *huma.OpenAPI) {
	text := func(status ...string) map[string]*huma.Response {
		out := map[string]*huma.Response{}
		for _, s := range status {
			out[s] = &huma.Response{Description: "A line of text",
				Content: map[string]*huma.MediaType{"text/plain": {Schema: &huma.Schema{Type: huma.TypeString}}}}
		}
		return out
	}
	add := func(id, path, summary, tag string, params []*huma.Param, responses map[string]*huma.Response) {
		contract.AddOperation(&huma.Operation{OperationID: id, Method: http.MethodGet, Path: path, Summary: summary,
			Tags: []string{tag}, Parameters: params, Responses: responses})
	}
	add("is-alive", "/healthz", "Whether the process runs", "operating", nil, text("200"))
	add("is-ready", "/readyz", "Whether the process takes requests: it is not leaving, and the database answers",
		"operating", nil, text("200", "503"))
	for id, page := range map[string][2]string{"get-contract": {"/api/openapi.json", "application/json"},
		"get-reference": {"/api/reference", "text/html"}, "get-reference-style": {"/api/reference.css", "text/css"}} {
		add(id, page[0], "This description of the routes", "reference", nil, server.Gives(huma.Operation{}, page[1]).Responses)
	}
	for _, kind := range webaccount.RosterKinds {
		path := webaccount.RosterPath + "/" + kind.Plural
		add("roster-"+kind.Plural, path, "OneRoster 1.1: "+kind.Plural, "roster", rosterParams(true), rosterAnswers(kind.Answered(), true))
		add("roster-"+kind.Plural+"-one", path+"/{id}", "OneRoster 1.1: one of "+kind.Plural, "roster",
			append(rosterParams(false), sourcedID()), rosterAnswers(kind.Single, false))
	}
	for _, part := range webaccount.RosterParts {
		add("roster-"+part.Parent+"-"+part.Child, webaccount.RosterPath+"/"+part.Parent+"/{id}/"+part.Child,
			"OneRoster 1.1: "+part.Child+" of one of "+part.Parent, "roster",
			append(rosterParams(true), sourcedID()), rosterAnswers(webaccount.RosterKindOf(part.Child).Answered(), true))
	}
}

func sourcedID() *huma.Param {
	return &huma.Param{Name: "id", In: "path", Required: true, Description: "Its sourcedId", Schema: &huma.Schema{Type: huma.TypeString}}
}

// rosterParams are what can be asked of a collection, or of one object.
func rosterParams(many bool) []*huma.Param {
	names := []string{"fields"}
	if many {
		names = []string{"fields", "filter", "sort", "orderBy", "limit", "offset"}
	}
	var out []*huma.Param
	for _, name := range names {
		schema := &huma.Schema{Type: huma.TypeString}
		if slices.Contains([]string{"limit", "offset"}, name) {
			schema = &huma.Schema{Type: huma.TypeInteger}
		}
		out = append(out, &huma.Param{Name: name, In: "query", Schema: schema})
	}
	return out
}

// rosterAnswers are objects under a name, or an error as the standard has it.
func rosterAnswers(name string, many bool) map[string]*huma.Response {
	object := &huma.Schema{Type: huma.TypeObject, AdditionalProperties: true, Properties: map[string]*huma.Schema{
		"sourcedId": {Type: huma.TypeString}, "status": {Type: huma.TypeString}, "dateLastModified": {Type: huma.TypeString}}}
	value := object
	if many {
		value = &huma.Schema{Type: huma.TypeArray, Items: object}
	}
	body := func(properties map[string]*huma.Schema) map[string]*huma.MediaType {
		required := []string{}
		for p := range properties {
			required = append(required, p)
		}
		slices.SortFunc(required, strings.Compare)
		return map[string]*huma.MediaType{"application/json": {Schema: &huma.Schema{Type: huma.TypeObject,
			Properties: properties, Required: required, AdditionalProperties: false}}}
	}
	fault := body(map[string]*huma.Schema{"imsx_codeMajor": {Type: huma.TypeString},
		"imsx_severity": {Type: huma.TypeString}, "imsx_description": {Type: huma.TypeString},
		"imsx_codeMinor": {Type: huma.TypeObject, AdditionalProperties: true}})
	return map[string]*huma.Response{"200": {Description: "What was asked for",
		Content: body(map[string]*huma.Schema{name: value})}, "default": {Description: "Why not", Content: fault}}
}

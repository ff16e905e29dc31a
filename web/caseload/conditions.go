package caseload

import (
	"context"
	"net/http"
	"unicode/utf8"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/core/catalog"
	"rubricon/core/condition"
	"rubricon/web/server"
	websheet "rubricon/web/sheet"
)

// ReadingView is a condition as it is read: all of it, or what is wrong with it.
type ReadingView struct {
	Reads   *ReadPart       `json:"reads,omitempty"`
	Fault   *ConditionFault `json:"fault,omitempty"`
	Unknown []string        `json:"unknown,omitempty" doc:"Codes that no course of the catalog has"`
}

// ReadPart is a part of a condition: one thing it asks for, or so many of several parts.
type ReadPart struct {
	Need  *websheet.Need `json:"need,omitempty"`
	Of    int            `json:"of,omitempty" doc:"How many of the parts are asked for"`
	Parts []ReadPart     `json:"parts,omitempty"`
}

// ConditionFault is what is wrong with the text of a condition.
type ConditionFault struct {
	At    int    `json:"at" doc:"The character, from 1"`
	Kind  string `json:"kind" enum:"tooLong,tooDeep,notText,unclosed,noName,badSign,keyword,wantsJoin,wantsPunct,wantsPart,wantsOf,wantsName,wantsAt,wantsMark,wantsNumber,badNumber,badCount,noMark"`
	Name  string `json:"name,omitempty" doc:"What it is about"`
	Found string `json:"found,omitempty" doc:"What stands there; absent: the text ends"`
}

// conditionRoutes are those of who writes conditions.
func (s *Routes) conditionRoutes(api huma.API) {
	type readIn struct {
		server.InYear
		Body struct {
			Text string `json:"text" maxLength:"20000"`
		}
	}
	type readOut struct{ Body *ReadingView }
	server.SignedIn(s, api, server.Operation("read-condition", http.MethodPost, server.YearPath+"/conditions",
		"What a condition asks for, as it is read, or what is wrong with it"),
		func(ctx context.Context, by int64, in *readIn) (*readOut, error) {
			r, err := s.cases.Caseload.Read(ctx, by, in.School, in.Year, in.Body.Text)
			if err != nil {
				return nil, err
			}
			v := &ReadingView{}
			switch {
			case r.Syntax != nil:
				at := min(r.Syntax.Offset, len(in.Body.Text))
				v.Fault = &ConditionFault{At: utf8.RuneCountInString(in.Body.Text[:at]) + 1, Kind: string(r.Syntax.Fault),
					Name: r.Syntax.Name, Found: r.Syntax.Found}
			case r.Mark != "":
				v.Fault = &ConditionFault{At: 1, Kind: "noMark", Name: r.Mark}
			default:
				part := newReadPart(r.Year.Year, r.Condition)
				v.Reads, v.Unknown = &part, r.Unknown
			}
			return &readOut{v}, nil
		})
}

func newReadPart(y *catalog.Year, c *condition.Condition) ReadPart {
	if c.Op == condition.Single {
		need := websheet.NewNeed(y, &c.Leaf)
		if c.Leaf.Mark != "" {
			at := y.Policy.Marks[c.Leaf.Mark]
			need.At = &at
		}
		return ReadPart{Need: &need}
	}
	part := ReadPart{Of: map[condition.Op]int{condition.And: len(c.Parts), condition.Or: 1, condition.Of: c.N}[c.Op]}
	for _, p := range c.Parts {
		part.Parts = append(part.Parts, newReadPart(y, p))
	}
	return part
}

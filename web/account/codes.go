package account

import (
	"context"
	"fmt"
	"mime"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"rubricon/app/account"
	schoolyear "rubricon/app/year"
	"rubricon/core/policy"
	"rubricon/locales"
	"rubricon/paper"
	"rubricon/web/server"
	websheet "rubricon/web/sheet"
)

// codeRoutes are those of codes for many at once.
func (s *Routes) codeRoutes(api huma.API) {
	type codesIn struct {
		server.InYear
		Body struct {
			Grade     int  `json:"grade" minimum:"0" maximum:"20" doc:"That is entered"`
			Guardians bool `json:"guardians" doc:"For the guardians rather than the students"`
		}
	}
	type codesOut struct {
		ContentType        string `header:"Content-Type"`
		ContentDisposition string `header:"Content-Disposition"`
		Letters            int    `header:"Rubricon-Letters" doc:"How many letters there are"`
		Left               int    `header:"Rubricon-Left" doc:"How many are left out, since their account leads to another school too"`
		Body               []byte
	}
	server.SignedIn(s, api, server.TakesLong(server.Gives(server.Operation("print-codes", http.MethodPost,
		server.YearPath+"/people/codes",
		"Codes for a first sign-in for all of a grade, or their guardians, as letters to be printed; who has a password keeps it"),
		"application/pdf")),
		func(ctx context.Context, by int64, in *codesIn) (*codesOut, error) {
			codes, err := s.cases.Account.CodesFor(ctx, by, in.School, in.Year, in.Body.Grade, in.Body.Guardians)
			if err != nil {
				return nil, err
			}
			var list []paper.Letter
			for i := range codes.Letters {
				list = append(list, s.codeLetter(codes.Year, &codes.Letters[i]))
			}
			out := &codesOut{ContentType: "application/pdf", Letters: len(list), Left: codes.Left,
				ContentDisposition: mime.FormatMediaType("attachment", map[string]string{"filename": fmt.Sprintf("codes-%d.pdf", in.Body.Grade)})}
			if len(list) > 0 {
				out.Body, err = paper.Letters(codes.Year.Name, list)
			}
			return out, err
		})
}

// codeLetter is the letter with a code, in its reader's language.
func (s *Routes) codeLetter(y *schoolyear.SchoolYear, c *account.CodeLetter) paper.Letter {
	language := c.Language
	if language == "" {
		language = y.Policy.Settings.Language
	}
	l := locales.Match(language)
	say := func(key string, args ...any) string { return websheet.Printed{L: l}.Say("letter."+key, args...) }
	text := say("student", "year", policy.YearLabel(y.Start))
	if len(c.Children.V) > 0 {
		text = say("guardian", "names", strings.Join(c.Children.V, ", "), "year", policy.YearLabel(y.Start))
	}
	out := paper.Letter{Language: l.Tag.String(), Head: y.Name, Hello: say("hello", "name", c.GivenName+" "+c.FamilyName),
		Lines:  []string{text, say("how")},
		Fields: [][2]string{{say("username"), c.Username}, {say("code"), c.Code}}, Foot: []string{say("once"), say("lost")}}
	if s.Base != "" {
		out.Fields = append([][2]string{{say("address"), s.Base}}, out.Fields...)
	}
	return out
}

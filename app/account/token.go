package account

import (
	"context"
	"crypto/rand"
	"maps"
	"slices"
	"time"

	"rubricon/app/problem"
	"rubricon/app/secret"
	"rubricon/app/text"
	"rubricon/core/acts"
	"rubricon/store"
)

// Purposes of tokens: what another system may read with one.
const (
	ReadCourses = "courses" // orgs, academic sessions, courses, classes
	ReadPeople  = "people"  // those, and users and enrollments
)

// Bounds of tokens.
const (
	longestToken = 366 * 24 * time.Hour
	maxTokens    = 50 // of a school that are good
	listedTokens = 2 * maxTokens
)

// tokenStart is how every token begins, so that one that has got somewhere it should not be is found.
const tokenStart = "rubricon_"

// Token is a token of another system, without its secret.
type Token = store.TokenRow

// Tokens lists the tokens of a school for its office, also those that are over.
func (s *Service) Tokens(ctx context.Context, by int64, school string, year int) ([]Token, error) {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageData); err != nil {
		return nil, err
	}
	return s.base.DB.Queries().Token.Tokens(ctx, school, listedTokens)
}

// MakeToken makes, as the office, a token for another system, for a purpose and some days, and gives it: it
// is said once. The errors are BadToken and AtLimit.
func (s *Service) MakeToken(ctx context.Context, by int64, school string, year int, name, purpose string, days int) (string, error) {
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageData)
	if err != nil {
		return "", err
	}
	name = text.Tidy(name)
	life := time.Duration(days) * 24 * time.Hour
	if name == "" || len([]rune(name)) > 100 || !slices.Contains([]string{ReadCourses, ReadPeople}, purpose) ||
		days < 1 || life > longestToken {
		return "", problem.New(problem.BadToken)
	}
	token := tokenStart + rand.Text()
	now := s.base.Now()
	var id int64
	err = s.base.DB.Tx(ctx, func(q store.Queries) error {
		if err := q.Serialize(ctx, "tokens", school); err != nil {
			return err
		}
		if n, err := q.Token.GoodTokens(ctx, school, now); err != nil {
			return err
		} else if n >= maxTokens {
			return problem.New(problem.AtLimit)
		}
		id, err = q.Token.MakeToken(ctx, &Token{School: school, Name: name, Purpose: purpose, By: a.Name().Name,
			MadeAt: now, Expires: now.Add(life)}, secret.Hashed(token))
		return err
	})
	if err != nil {
		return "", err
	}
	s.base.Log.InfoContext(ctx, "a token was made", "school", school, "account", by, "token", id, "purpose", purpose, "days", days)
	return token, nil
}

// EndToken takes a token back, at once. The error is NotFound.
func (s *Service) EndToken(ctx context.Context, by int64, school string, year int, id int64) error {
	_, a, err := s.base.Years.Guard(ctx, by, school, year, acts.ManageData)
	if err != nil {
		return err
	}
	ended, err := s.base.DB.Queries().Token.EndToken(ctx, school, id, a.Name().Name, s.base.Now())
	if err == nil && !ended {
		err = problem.New(problem.NotFound)
	}
	if err == nil {
		s.base.Log.InfoContext(ctx, "a token was taken back", "school", school, "account", by, "token", id)
	}
	return err
}

// Machine is another system that has shown a token that holds, and the newest year of its school.
type Machine struct {
	Token
	Year    int
	catalog int64 // the version in force
	source  store.Source
}

// Machine reports whose a token is. The error is NotFound where it does not hold.
func (s *Service) Machine(ctx context.Context, token string) (*Machine, error) {
	q := s.base.DB.Queries()
	row, err := q.Token.UseToken(ctx, secret.Hashed(token), s.base.Now())
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	year, err := q.Year.Newest(ctx, row.School)
	if err != nil {
		return nil, err
	}
	at, err := q.Year.YearRow(ctx, row.School, year)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	source, err := q.Year.Source(ctx, row.School, year, at.Catalog, at.Policy)
	if err != nil {
		return nil, problem.AsNotFound(err)
	}
	s.base.Log.InfoContext(ctx, "another system reads", "school", row.School, "token", row.ID)
	return &Machine{Token: row, Year: year, catalog: at.Catalog, source: source}, nil
}

// Cells are the cells of a row of the school's data that are not empty, by column.
type Cells = store.Cells

// stamped is how OneRoster writes when something was last changed.
const stamped = "2006-01-02T15:04:05.000Z"

// Roster returns the rows of a file of the school's data that another system may read, without what is secret,
// each with when it was last changed here as dateLastModified. The error is NotFound where it may not.
func (s *Service) Roster(ctx context.Context, m *Machine, file string) ([]Cells, error) {
	ctx = s.base.DB.Reading(store.Within(ctx, m.School))
	switch file {
	case "orgs.csv", "academicSessions.csv", "courses.csv":
		return s.catalogRows(ctx, m, file)
	case "classes.csv":
	case "users.csv", "enrollments.csv":
		if m.Purpose != ReadPeople {
			return nil, problem.New(problem.NotFound)
		}
	default:
		return nil, problem.New(problem.NotFound)
	}
	rows, err := s.base.DB.Queries().Token.RosterRows(ctx, file, m.School, m.Year)
	list := make([]Cells, 0, len(rows))
	for _, r := range rows {
		r.Cells.V["dateLastModified"] = r.Modified.UTC().Format(stamped)
		list = append(list, r.Cells.V)
	}
	return list, err
}

// catalogRows are the rows of a file of the catalog in force. A row was last changed when the first version
// came into force from which on it is as it is.
func (s *Service) catalogRows(ctx context.Context, m *Machine, file string) ([]Cells, error) {
	key := stampKey{school: m.School, year: m.Year, catalog: m.catalog, file: file}
	stamps, known := s.stamps.Get(key)
	if !known {
		versions, err := s.base.DB.Queries().Token.CatalogFiles(ctx, m.School, m.Year, m.catalog, file)
		if err != nil {
			return nil, err
		}
		stamps = map[string]string{}
		var before map[string]Cells
		for _, v := range versions {
			now := map[string]Cells{}
			if v.File != nil {
				for _, c := range asCells(&v.File.V) {
					id := c["sourcedId"]
					if now[id] = c; !maps.Equal(c, before[id]) {
						stamps[id] = v.At.UTC().Format(stamped)
					}
				}
			}
			before = now
		}
		s.stamps.Add(key, stamps)
	}
	f := m.source.Files[file]
	list := asCells(&f)
	for _, c := range list {
		if stamp := stamps[c["sourcedId"]]; stamp != "" {
			c["dateLastModified"] = stamp
		}
	}
	return list, nil
}

// asCells returns the rows of a file by column, without empty cells.
func asCells(f *store.Sheetful) []Cells {
	list := make([]Cells, 0, len(f.Rows))
	for _, row := range f.Rows {
		c := Cells{}
		for i, column := range f.Header {
			if i < len(row) && row[i] != "" {
				c[column] = row[i]
			}
		}
		list = append(list, c)
	}
	return list
}

// stampKey names a file of the catalog in a version.
type stampKey struct {
	school  string
	year    int
	catalog int64
	file    string
}

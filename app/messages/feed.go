package messages

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"time"

	"rubricon/app/problem"
	"rubricon/app/secret"
	appsheet "rubricon/app/sheet"
	schoolyear "rubricon/app/year"
	"rubricon/store"
)

// FeedMade reports when someone's secret address of a student's calendar was made; nil where there is none.
func (s *Service) FeedMade(ctx context.Context, by int64, at schoolyear.Place) (*time.Time, error) {
	if _, err := s.ports.Sheet.Open(ctx, by, at); err != nil {
		return nil, err
	}
	made, err := s.base.DB.Queries().Messages.FeedOf(ctx, by, at)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	}
	return &made, err
}

// MakeFeed makes a secret address of a student's calendar for someone who may see the sheet, in place of
// their earlier one, and gives its token, which is kept hashed and said only here.
func (s *Service) MakeFeed(ctx context.Context, by int64, at schoolyear.Place, language string) (token string, err error) {
	if _, err := s.ports.Sheet.Open(ctx, by, at); err != nil {
		return "", err
	}
	raw := make([]byte, 32)
	_, _ = rand.Read(raw) // never fails
	token = base64.RawURLEncoding.EncodeToString(raw)
	return token, s.base.DB.Queries().Messages.PutFeed(ctx, secret.Hashed(token),
		store.Feed{Place: at, Account: by, Language: language, MadeAt: s.base.Now()})
}

// DropFeed takes someone's secret address of a student's calendar away.
func (s *Service) DropFeed(ctx context.Context, by int64, at schoolyear.Place) error {
	if _, err := s.ports.Sheet.Open(ctx, by, at); err != nil {
		return err
	}
	return s.base.DB.Queries().Messages.DropFeed(ctx, by, at)
}

// Fed returns the sheet of a secret address, as the account it was made for sees it now, and the language it
// was made in. The error is NotFound where there is no such address, or the account may not see the sheet any
// more.
func (s *Service) Fed(ctx context.Context, token string) (*appsheet.Desk, string, error) {
	feed, err := s.base.DB.Queries().Messages.Feed(ctx, secret.Hashed(token))
	if err != nil {
		return nil, "", problem.AsNotFound(err)
	}
	d, err := s.ports.Sheet.Unseen(store.Within(ctx, feed.School), feed.Account, feed.Place)
	if err != nil {
		return nil, "", err
	}
	d.Judge(0)
	return d, feed.Language, nil
}

package office

import (
	"context"

	"rubricon/core/acts"
	"rubricon/store"
)

// maxActs is how much of what the office did is listed.
const maxActs = 200

// OfficeActs lists what the office has done, the latest first.
func (s *Service) OfficeActs(ctx context.Context, by int64, school string, year, skip int) ([]store.OfficeAct, error) {
	if _, _, err := s.base.Years.Guard(ctx, by, school, year, acts.ManagePeople); err != nil {
		return nil, err
	}
	return s.base.DB.Queries().Office.OfficeActs(ctx, school, skip, maxActs)
}

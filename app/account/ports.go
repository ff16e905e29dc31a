package account

import (
	"context"
)

// Messages lists the acts of app/messages that this area calls.
type Messages interface {
	Notice(ctx context.Context, account int64, kind string) error
}

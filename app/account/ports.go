package account

import (
	"context"
)

// Messages is what this area needs of app/messages.
type Messages interface {
	Notice(ctx context.Context, account int64, kind string) error
}

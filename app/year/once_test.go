package year

import (
	"context"
	"errors"
	"testing"
)

// TestWhoAskedFirstLeaves: what is computed once for all who ask at the same time goes on when the first of them leaves, and no one waits for
// it longer than they want to.
func TestWhoAskedFirstLeaves(t *testing.T) {
	c := newCache()
	first, leave := context.WithCancel(t.Context())
	began, let := make(chan bool, 2), make(chan bool)
	ask := func(ctx context.Context) (int, error) {
		return Together(ctx, &c.compile, "x", func(ctx context.Context) (int, error) {
			began <- true
			<-let
			return 7, ctx.Err()
		})
	}
	left, second := make(chan error), make(chan error)
	go func() {
		_, err := ask(first)
		left <- err
	}()
	<-began
	go func() {
		n, err := ask(t.Context())
		if err == nil && n != 7 {
			err = errors.New("another number")
		}
		second <- err
	}()
	leave()
	if err := <-left; !errors.Is(err, context.Canceled) {
		t.Errorf("the first, who left: %v", err)
	}
	close(let)
	if err := <-second; err != nil {
		t.Errorf("the second: %v", err)
	}
}

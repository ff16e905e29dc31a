package messages

import (
	"sync"
	"testing"
	"time"

	"rubricon/store"
)

// TestTheHubNeverWaits changes sheets for a while as fast as it can, while readers take from the other end of full buffers: emptying a
// buffer must never wait for a reader, or the hub's lock is held for good.
func TestTheHubNeverWaits(t *testing.T) {
	const changes, readers = 400_000, 4
	h := newHub()
	var reading sync.WaitGroup
	over := make(chan struct{})
	for range readers {
		w := h.watch("s", 2027, "", false)
		reading.Go(func() {
			for {
				select {
				case <-w.C:
				case <-over:
					return
				}
			}
		})
	}
	done := make(chan struct{})
	go func() {
		defer close(done)
		for i := range int64(changes) {
			h.hear([]store.Told{{School: "s", Year: 2027, Student: "a", Version: i}})
		}
	}()
	select {
	case <-done:
	case <-time.After(60 * time.Second):
		t.Fatal("the hub waits for a reader")
	}
	close(over)
	reading.Wait()
}

// TestAWatchThatNobodyReads hears one Heard{} in the place of what it missed, then what came later.
func TestAWatchThatNobodyReads(t *testing.T) {
	h := newHub()
	w := h.watch("s", 2027, "", false)
	n := int64(cap(w.in))
	for i := range n + 3 {
		h.hear([]store.Told{{School: "s", Year: 2027, Student: "a", Version: i + 1}})
	}
	got := drain(w.C)
	if len(got) != 3 || got[0].Student != "" || got[1].Version != n+2 || got[2].Version != n+3 {
		t.Errorf("heard %+v", got)
	}
}

package placement

import (
	"sync"
	"sync/atomic"
)

// parallel calls work for 0 to n−1 on so many workers; each call gets the number of its worker, from 0.
// What is done must not depend on which worker does it.
func parallel(workers, n int, work func(worker, i int)) {
	if workers <= 1 || n <= 1 {
		for i := range n {
			work(0, i)
		}
		return
	}
	chunk := max(1, min(16, n/(2*workers)))
	var next atomic.Int64
	var wait sync.WaitGroup
	for w := range workers {
		wait.Go(func() {
			for {
				start := int(next.Add(int64(chunk))) - chunk
				if start >= n {
					return
				}
				for i := start; i < min(n, start+chunk); i++ {
					work(w, i)
				}
			}
		})
	}
	wait.Wait()
}

// parallelParts calls work for 0 to n−1, each on a worker of its own as far as there are some.
func parallelParts(workers, n int, work func(i int)) {
	if workers <= 1 {
		for i := range n {
			work(i)
		}
		return
	}
	var wait sync.WaitGroup
	for i := range n {
		wait.Go(func() { work(i) })
	}
	wait.Wait()
}

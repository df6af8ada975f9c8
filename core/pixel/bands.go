package pixel

import (
	"runtime"
	"sync"
)

// Bands splits n values among the cores.
func Bands(n int, work func(from, behind int)) {
	bands := min(runtime.GOMAXPROCS(0), 1+n/4096)
	var wg sync.WaitGroup
	for i := range bands {
		wg.Go(func() { work(i*n/bands, (i+1)*n/bands) })
	}
	wg.Wait()
}

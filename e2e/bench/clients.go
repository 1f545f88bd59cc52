package main

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"
)

// eightClients edits the demo and a project of each client's own in turn, for ten
// seconds and without a pause, and prints how long the edits took. Each is on disk
// before it is answered.
func eightClients(address string) error {
	const clients, length = 8, 10 * time.Second
	client := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	end := time.Now().Add(length)
	took, slips := make([][]time.Duration, clients), make([]error, clients)
	var wg sync.WaitGroup
	for k := range clients {
		wg.Go(func() {
			took[k], slips[k] = func() (took []time.Duration, err error) {
				r, err := client.PostForm(address+"/projects", url.Values{"name": {"Own"}})
				if err != nil {
					return nil, err
				}
				r.Body.Close()
				own := r.Header.Get("Location")
				for i := 0; time.Now().Before(end); i++ {
					at, began := []string{"/p/saltlight", own}[i%2], time.Now()
					r, err := client.Post(address+at+"/edit", "application/json", strings.NewReader(fmt.Sprintf(`{"edits":[{"op":"camera.set","value":{"azimuth":%d}}]}`, k*10+i%10)))
					if err != nil {
						return nil, err
					}
					said, _ := io.ReadAll(r.Body)
					r.Body.Close()
					if r.StatusCode != http.StatusOK {
						return nil, fmt.Errorf("an edit was refused: %s: %s", r.Status, said)
					}
					took = append(took, time.Since(began))
				}
				return took, nil
			}()
		})
	}
	wg.Wait()
	if err := errors.Join(slips...); err != nil {
		return err
	}
	all := slices.Sorted(slices.Values(slices.Concat(took...)))
	fmt.Printf("edits of 8 clients          median %.0f ms, 99 of 100 within %.0f ms, longest %.0f ms; %d in %v, on disk each (wanted ≤ 150 for 99)\n",
		ms(all[len(all)/2]), ms(all[len(all)*99/100]), ms(all[len(all)-1]), len(all), length)
	return nil
}

func ms(d time.Duration) float64 { return float64(d) / float64(time.Millisecond) }

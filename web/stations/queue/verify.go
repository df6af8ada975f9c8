package queue

import (
	"context"
	"fmt"
	"net/http"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"reelhouse/house"
	"reelhouse/web/kit"
)

// verification is the one that runs, or the last one. The zero value is none.
type verification struct {
	mutex sync.Mutex
	shown shownVerification
	stop  context.CancelFunc // nil if none runs
}

// A shownVerification is how a verification stands.
type shownVerification struct {
	Code      string // of the production
	Deep      bool
	Running   bool
	Done, All int // frames
	Result    *house.Verified
	Ended     time.Time
	Trouble   string // why it did not come to an end
}

// Percent returns how far it has come.
func (v shownVerification) Percent() int { return 100 * v.Done / max(1, v.All) }

// Depth says what is compared.
func (v shownVerification) Depth() string {
	if v.Deep {
		return "every byte, by SHA-256"
	}
	return "presence and size"
}

// Edit returns what begins or ends a verification, with values in pairs.
func (v shownVerification) Edit(pairs ...string) kit.Edit {
	of := &kit.View{}
	of.Production.Code = v.Code
	return of.Post("", "", "", "verify", pairs...).Edit
}

// verifying returns how the verification of a production stands.
func (a *page) verifying(code string) shownVerification {
	a.check.mutex.Lock()
	defer a.check.mutex.Unlock()
	shown := a.check.shown
	if shown.Code != code {
		return shownVerification{Code: code}
	}
	return shown
}

// verify begins a verification of a production's finished files, or ends the one that runs.
func (a *page) verify(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	if c.FormValue("do") == "stop" {
		a.check.mutex.Lock()
		if a.check.stop != nil && a.check.shown.Code == p.Code {
			a.check.stop()
		}
		a.check.mutex.Unlock()
		return c.Render(http.StatusOK, "queue/verified", a.verifying(p.Code))
	}
	if other := a.beginVerifying(p.Code, c.FormValue("deep") != ""); other != "" {
		return echo.NewHTTPError(
			http.StatusConflict, fmt.Sprintf("The files of %s are being verified. Wait until that has ended.", other),
		)
	}
	return c.Render(http.StatusOK, "queue/verified", a.verifying(p.Code))
}

// beginVerifying begins a verification, unless one runs: then it returns of which production.
func (a *page) beginVerifying(code string, deep bool) (other string) {
	a.check.mutex.Lock()
	defer a.check.mutex.Unlock()
	if a.check.stop != nil {
		return a.check.shown.Code
	}
	ctx, cancel := context.WithCancel(context.Background())
	a.check.stop = cancel
	a.check.shown = shownVerification{Code: code, Deep: deep, Running: true}
	go func() {
		v, err := a.House.Verify(ctx, house.Verification{Production: code, Deep: deep}, func(done, all int) {
			a.check.mutex.Lock()
			before := a.check.shown.Percent()
			a.check.shown.Done, a.check.shown.All = done, all
			further := a.check.shown.Percent() != before
			a.check.mutex.Unlock()
			if further { // of a film not every frame is told
				a.Changes.Changed()
			}
		})
		a.check.mutex.Lock()
		a.check.stop = nil
		a.check.shown.Running, a.check.shown.Ended = false, time.Now()
		switch {
		case ctx.Err() != nil:
			a.check.shown.Trouble = "It was stopped; what it had found by then is recorded."
		case err != nil:
			a.Log.Error("files could not be verified", "production", code, "error", err)
			a.check.shown.Trouble = "It could not be done; the server's log says why."
		default:
			a.check.shown.Result = &v
		}
		a.check.mutex.Unlock()
		cancel()
		a.Changes.Changed()
	}()
	return ""
}

package kit

import (
	"net/url"

	"reelhouse/core/edit"
	"reelhouse/core/production"
)

// What tests of pages look at inside.

// Bind makes a command of a form.
func Bind(name string, form url.Values) (edit.Command, error) { return bind(name, form) }

// Tried returns a production as it would be after an edit.
func (a *App) Tried(p production.Production, name string, form url.Values) (production.Production, error) {
	return a.tried(p, name, form)
}

// FrameOf reads the number of a frame that can be looked at.
func (a *App) FrameOf(p production.Production, text string) int { return a.frameOf(p, text) }

// Text renders a template.
func (a *App) Text(name string, data any) (string, error) { return a.pages.text(name, data) }

// Rounds returns how often live events were worked out.
func (a *App) Rounds() int {
	a.live.mutex.Lock()
	defer a.live.mutex.Unlock()
	return a.live.rounds
}

// Listen counts pages that listen but are none, so that only as many more may as are left.
func (a *App) Listen(left int) {
	a.live.mutex.Lock()
	defer a.live.mutex.Unlock()
	a.live.listeners = mostListeners - left
}

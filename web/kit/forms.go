package kit

import (
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"reelhouse/core/preset"
)

// Limits of what may be sent, in bytes.
const (
	mostForm   = 4 << 20 // a form without a file: one that ticks all shots of a film
	mostPreset = preset.MaxFile + 1<<16
)

// SmallForm refuses forms that are larger than any page makes without a file.
func SmallForm() echo.MiddlewareFunc { return Form(mostForm) }

// Form refuses forms of more than so many bytes.
func Form(most int64) echo.MiddlewareFunc { return middleware.BodyLimit(most) }

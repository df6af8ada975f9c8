package web

import (
	"bytes"
	"fmt"
	"log/slog"
	"net"
	"net/http/httptest"
	"syscall"
	"testing"

	"github.com/labstack/echo/v5"
)

// A browser that has gone is no fault of the server.
func TestABrowserThatHasGoneIsNoFault(t *testing.T) {
	for err, said := range map[error]bool{
		&net.OpError{Op: "write", Err: syscall.EPIPE}: false, fmt.Errorf("page: %w", syscall.ECONNRESET): false,
		fmt.Errorf("no room"): true,
	} {
		var log bytes.Buffer
		e := echo.New()
		recorder := httptest.NewRecorder()
		c := e.NewContext(httptest.NewRequest("GET", "/", nil), recorder)
		failed(slog.New(slog.NewTextHandler(&log, nil)))(c, err)
		if (log.Len() > 0) != said {
			t.Errorf("%v: the log says %q", err, log.String())
		}
	}
}

package kit

import (
	"net"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"
)

// doors refuse requests that no page of this house makes, before anything is worked out for them.

// Hosts answers only what was asked of this house by a name that it goes by: those of this machine, the address it
// listens on, and those given. A name of somebody else's that was made to point here is none of them, so that pages of
// that name cannot read what stands here.
func Hosts(listening net.Addr, names []string) echo.MiddlewareFunc {
	known := map[string]bool{"localhost": true, "127.0.0.1": true, "::1": true}
	if listening != nil {
		if host, _, err := net.SplitHostPort(listening.String()); err == nil {
			if ip := net.ParseIP(host); ip == nil || !ip.IsUnspecified() {
				known[strings.ToLower(host)] = true
			}
		}
	}
	for _, name := range names {
		known[strings.ToLower(strings.Trim(name, "[]"))] = true
	}
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			host := c.Request().Host
			if name, _, err := net.SplitHostPort(host); err == nil {
				host = name
			}
			host = strings.ToLower(strings.TrimSuffix(strings.Trim(host, "[]"), "."))
			if ip := net.ParseIP(host); known[host] || ip != nil && ip.IsLoopback() {
				return next(c)
			}
			return c.String(http.StatusMisdirectedRequest,
				"This house does not go by that name. If it should, start it with --host and the name.\n")
		}
	}
}

// OwnPages refuses what other sites' pages ask for by themselves, such as costly pictures. Links to pages are followed.
func OwnPages(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Request().Header
		if site := h.Get("Sec-Fetch-Site"); (site == "cross-site" || site == "same-site") &&
			h.Get("Sec-Fetch-Mode") != "navigate" {
			return echo.NewHTTPError(http.StatusForbidden, "This can be had by pages of this house only.")
		}
		return next(c)
	}
}

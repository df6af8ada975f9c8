package web

import (
	"context"
	"log/slog"
	"net"

	"github.com/labstack/echo/v5"

	"reelhouse/farm"
	"reelhouse/house"
)

type Server struct {
	House  *house.House
	Node   *farm.Node
	Thumbs *farm.Thumbs
	Log    *slog.Logger
}

func Serve(ctx context.Context, l net.Listener, s Server) error {
	e := echo.New()
	return echo.StartConfig{Listener: l, HideBanner: true, HidePort: true}.Start(ctx, e)
}

package gate

import (
	"encoding/base64"
	"fmt"
	"log/slog"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/nats-io/nkeys"

	"reelhouse/farm/wire"
)

// A guard lets in who has the key of a node that the record knows, and lets it speak for itself alone.
type guard Gate

// Check reports whether somebody may come in.
func (g *guard) Check(c server.ClientAuthentication) bool {
	opts := c.GetOpts()
	if !signed(opts.Nkey, opts.Sig, c.GetNonce()) {
		return false
	}
	if opts.Nkey == g.own {
		c.RegisterUser(&server.User{Username: "house"})
		return true
	}
	n, err := g.House.Record.NodeOf(opts.Nkey)
	if err != nil {
		g.Log.Warn("somebody whose key is not known wanted to be a node", "from", fmt.Sprint(c.RemoteAddress()))
		return false
	}
	// The key is what counts, and is found again by what a client says of itself.
	c.RegisterUser(&server.User{Username: n.Name, Permissions: permissions(n.Name)})
	return true
}

// permissions are what a node may send and hear.
func permissions(node string) *server.Permissions {
	return &server.Permissions{
		Publish:   &server.SubjectPermission{Allow: wire.Publishes(node)},
		Subscribe: &server.SubjectPermission{Allow: wire.Listens(node)},
	}
}

// signed reports whether a nonce was signed with the private half of a key.
func signed(key, signature string, nonce []byte) bool {
	public, err := nkeys.FromPublicKey(key)
	if err != nil || len(nonce) == 0 || !nkeys.IsValidPublicUserKey(key) {
		return false
	}
	sig, err := base64.RawURLEncoding.DecodeString(signature)
	return err == nil && public.Verify(nonce, sig) == nil
}

// disconnect ends all connections of who has a key.
func (g *guard) disconnect(key string) {
	if g.clustered != nil {
		if err := g.clustered.disconnect(key); err != nil {
			g.Log.Error("a node cannot be disconnected", "error", err)
		}
		return
	}
	list, err := g.server.Connz(&server.ConnzOptions{Username: true, Limit: 1 << 16})
	if err != nil {
		g.Log.Error("connections of nodes cannot be listed", "error", err)
		return
	}
	for _, c := range list.Conns {
		if c.AuthorizedUser == key {
			if err := g.server.DisconnectClientByID(c.Cid); err != nil {
				g.Log.Debug("a node has gone by itself", "error", err)
			}
		}
	}
}

// serverLog passes on what the embedded server says.
type serverLog struct{ log *slog.Logger }

func (l serverLog) Noticef(format string, v ...any) { l.log.Debug(fmt.Sprintf(format, v...)) }
func (l serverLog) Warnf(format string, v ...any)   { l.log.Warn(fmt.Sprintf(format, v...)) }
func (l serverLog) Fatalf(format string, v ...any)  { l.log.Error(fmt.Sprintf(format, v...)) }
func (l serverLog) Errorf(format string, v ...any)  { l.log.Debug(fmt.Sprintf(format, v...)) }
func (l serverLog) Debugf(string, ...any)           {}
func (l serverLog) Tracef(string, ...any)           {}

package gate

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"github.com/nats-io/jwt/v2"
	"github.com/nats-io/nats-server/v2/server"
	"github.com/nats-io/nats.go"
	"github.com/nats-io/nkeys"

	"reelhouse/farm/wire"
	"reelhouse/house"
)

// A Cluster is NATS servers that others run, with JetStream. They ask the house who may come in, as their configuration
// says; see ClusterConfiguration.
type Cluster struct {
	Addresses []string // HOST:PORT of its servers
	Authority string   // PEM of the certificates that vouch for theirs; "" for those that this machine trusts
}

// The accounts of a cluster.
const (
	account       = "REELHOUSE"
	systemAccount = "REELHOUSE_SYSTEM"
)

// mostReplicas is on how many servers of a cluster what is kept lies.
const mostReplicas = 3

// clusterKeys are those of the house: for itself, for letting nodes in, and for ending their connections.
type clusterKeys struct{ house, issuer, system nkeys.KeyPair }

// keysOf returns the keys of a house for a cluster, which are made when they are asked for first.
func keysOf(h *house.House) (k clusterKeys, err error) {
	for _, one := range []struct {
		name string
		make func() (nkeys.KeyPair, error)
		into *nkeys.KeyPair
	}{
		{"house", nkeys.CreateUser, &k.house}, {"issuer", nkeys.CreateAccount, &k.issuer},
		{"system", nkeys.CreateUser, &k.system},
	} {
		path := filepath.Join(Folder(h), "cluster-"+one.name+".key")
		seed, err := os.ReadFile(path)
		if errors.Is(err, fs.ErrNotExist) {
			seed, err = makeKey(path, one.make)
		}
		if err != nil {
			return k, err
		}
		if *one.into, err = nkeys.FromSeed([]byte(strings.TrimSpace(string(seed)))); err != nil {
			return k, fmt.Errorf("%s: %w", path, err)
		}
	}
	return k, nil
}

func makeKey(path string, create func() (nkeys.KeyPair, error)) ([]byte, error) {
	pair, err := create()
	if err != nil {
		return nil, err
	}
	seed, err := pair.Seed()
	if err != nil {
		return nil, err
	}
	if err := writeOnce(path, seed); err != nil {
		return nil, err
	}
	return os.ReadFile(path)
}

// ClusterConfiguration returns what each server of a cluster has to have in its configuration, beside where it listens,
// its certificate, where JetStream keeps what it has, and the other servers.
func ClusterConfiguration(h *house.House) (string, error) {
	k, err := keysOf(h)
	if err != nil {
		return "", err
	}
	var public [3]string
	for i, pair := range []nkeys.KeyPair{k.house, k.system, k.issuer} {
		if public[i], err = pair.PublicKey(); err != nil {
			return "", err
		}
	}
	return fmt.Sprintf(`# The house and its nodes, as Reelhouse wants them. The house says who is a node.
accounts {
  %[1]s { jetstream: enabled, users: [ { nkey: %[3]s } ] }
  %[2]s { users: [ { nkey: %[4]s } ] }
}
system_account: %[2]s
authorization {
  auth_callout { issuer: %[5]s, account: %[1]s, auth_users: [ %[3]s, %[4]s ] }
}
`, account, systemAccount, public[0], public[1], public[2]), nil
}

// A clustered gate is that part of one which has to do with a cluster.
type clustered struct {
	keys   clusterKeys
	system *nats.Conn

	mutex   sync.Mutex
	clients map[string][]client // of nodes, by their keys
}

// A client is a connection to a server of the cluster.
type client struct {
	server string
	id     uint64
}

// joinCluster connects to a cluster, and answers when its servers ask who may come in.
func (g *Gate) joinCluster(ctx context.Context) (err error) {
	c := &clustered{clients: map[string][]client{}}
	if c.keys, err = keysOf(g.House); err != nil {
		return err
	}
	secured, err := wire.Believes(g.Cluster.Authority)
	if err != nil {
		return err
	}
	var urls []string
	for _, address := range g.Cluster.Addresses {
		urls = append(urls, "tls://"+address)
	}
	connect := func(name string, pair nkeys.KeyPair) (*nats.Conn, error) {
		public, err := pair.PublicKey()
		if err != nil {
			return nil, err
		}
		conn, err := nats.Connect(strings.Join(urls, ","), nats.Name(name), nats.Nkey(public, pair.Sign),
			nats.Secure(secured), nats.MaxReconnects(-1), nats.ReconnectWait(500*time.Millisecond),
			nats.DisconnectErrHandler(func(c *nats.Conn, err error) {
				if err != nil {
					g.Log.Warn("the line to a server of the cluster is down", "error", err)
				}
			}))
		if errors.Is(err, nats.ErrAuthorization) {
			err = fmt.Errorf("%w: its configuration has to be that of `reelhouse farm-cluster`", err)
		}
		return conn, err
	}
	if err := g.await(ctx, "the cluster", func() error {
		g.conn, err = connect("house", c.keys.house)
		return err
	}); err != nil {
		return err
	}
	if c.system, err = connect("house, ending connections", c.keys.system); err != nil {
		return err
	}
	g.clustered = c
	_, err = g.conn.Subscribe(server.AuthCalloutSubject, func(m *nats.Msg) {
		g.beside(func() { g.askedWho(m) })
	})
	return err
}

// askedWho answers a server that asks whether somebody may come in.
func (g *Gate) askedWho(m *nats.Msg) {
	asked, err := jwt.DecodeAuthorizationRequestClaims(string(m.Data))
	if err != nil {
		g.Log.Warn("a server of the cluster asks what cannot be read", "error", err)
		return
	}
	answer := jwt.NewAuthorizationResponseClaims(asked.UserNkey)
	answer.Audience = asked.Server.ID
	if answer.Jwt, err = g.admission(asked); err != nil {
		answer.Error = err.Error()
	}
	text, err := answer.Encode(g.clustered.keys.issuer)
	if err == nil {
		err = m.Respond([]byte(text))
	}
	if err != nil {
		g.Log.Error("a server of the cluster was not answered", "error", err)
	}
}

// admitFor is for how long a node is let in; then it is asked anew.
const admitFor = time.Hour

// admission lets in who has the key of a node, and lets it speak for itself alone.
func (g *Gate) admission(asked *jwt.AuthorizationRequestClaims) (string, error) {
	key := asked.ConnectOptions.Nkey
	if !signed(key, asked.ConnectOptions.SignedNonce, []byte(asked.ClientInformation.Nonce)) {
		return "", errors.New("its key does not fit")
	}
	n, err := g.House.Record.NodeOf(key)
	if err != nil {
		g.Log.Warn("somebody whose key is not known wanted to be a node", "from", asked.ClientInformation.Host)
		return "", errors.New("its key is not known")
	}
	g.clustered.note(key, client{asked.Server.ID, asked.ClientInformation.ID})
	may := permissions(n.Name)
	u := jwt.NewUserClaims(asked.UserNkey)
	u.Name, u.Audience, u.Expires = n.Name, account, time.Now().Add(admitFor).Unix()
	u.Pub.Allow.Add(may.Publish.Allow...)
	u.Sub.Allow.Add(may.Subscribe.Allow...)
	return u.Encode(g.clustered.keys.issuer)
}

// mostClients is how many connections of a node are known: it has one, and those before are closed.
const mostClients = 8

func (c *clustered) note(key string, of client) {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	all := append(c.clients[key], of)
	c.clients[key] = all[max(0, len(all)-mostClients):]
}

// disconnect ends the connections of who has a key.
func (c *clustered) disconnect(key string) error {
	c.mutex.Lock()
	all := c.clients[key]
	delete(c.clients, key)
	c.mutex.Unlock()
	var failed error
	for _, one := range all {
		text, err := json.Marshal(map[string]uint64{"cid": one.id})
		if err == nil {
			// Without somewhere to answer to, a server does nothing; nobody listens there.
			err = c.system.PublishRequest("$SYS.REQ.SERVER."+one.server+".KICK", nats.NewInbox(), text)
		}
		failed = errors.Join(failed, err)
	}
	return failed
}

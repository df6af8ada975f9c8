package gate

import (
	"encoding/json"
	"errors"
	"net"
	"os"
	"path/filepath"

	"github.com/nats-io/nkeys"

	"reelhouse/farm/wire"
	"reelhouse/house"
	"reelhouse/store"
)

// Whereabouts is where the server lets nodes in, as it lies in the house for whoever makes a token.
type Whereabouts struct {
	Messages    []string `json:"messages"`
	Bytes       []string `json:"bytes"`
	Certificate string   `json:"certificate"` // its fingerprint
	Cluster     bool     `json:"cluster,omitempty"`
	Authority   string   `json:"authority,omitempty"`
}

func whereaboutsPath(h *house.House) string { return filepath.Join(Folder(h), "address.json") }

// keepWhereabouts notes where nodes are let in.
func (g *Gate) keepWhereabouts() error {
	messages, bytes := g.Addresses()
	at := Whereabouts{Messages: messages, Bytes: bytes, Certificate: g.Fingerprint}
	if g.Cluster != nil {
		at.Cluster, at.Authority = true, g.Cluster.Authority
	}
	text, err := json.Marshal(at)
	if err != nil {
		return err
	}
	return os.WriteFile(whereaboutsPath(g.House), text, 0o600)
}

// NewTokens lets machines be nodes of a house, one of each name, or none of them: hosts are names or addresses by which
// they find the house, as that says itself if there are none.
func NewTokens(h *house.House, names, hosts []string, by store.Author) (tokens []wire.Token, err error) {
	for _, name := range names {
		if err := wire.CheckName(name); err != nil {
			return nil, err
		}
	}
	text, err := os.ReadFile(whereaboutsPath(h))
	if errors.Is(err, os.ErrNotExist) {
		return nil, errors.New("this house lets no nodes in; start its server with --farm HOST:PORT first")
	}
	var at Whereabouts
	if err == nil {
		err = json.Unmarshal(text, &at)
	}
	if err != nil {
		return nil, err
	}
	keys := make([]store.NodeKey, len(names))
	for i, name := range names {
		token, key, err := at.token(name, hosts)
		if err != nil {
			return nil, err
		}
		tokens, keys[i] = append(tokens, token), key
	}
	if err := h.Record.AddNodes(by, keys...); err != nil {
		return nil, err
	}
	return tokens, nil
}

// token makes a token, and says what the house has to know of it.
func (at Whereabouts) token(name string, hosts []string) (token wire.Token, key store.NodeKey, err error) {
	pair, err := nkeys.CreateUser()
	if err != nil {
		return token, key, err
	}
	seed, err := pair.Seed()
	if err != nil {
		return token, key, err
	}
	public, err := pair.PublicKey()
	if err != nil {
		return token, key, err
	}
	token = wire.Token{
		Name: name, Messages: at.Messages, Bytes: reached(at.Bytes, hosts), Certificate: at.Certificate,
		Key: string(seed), Cluster: at.Cluster, Authority: at.Authority,
	}
	if !at.Cluster {
		token.Messages = reached(at.Messages, hosts)
	}
	return token, store.NodeKey{Name: name, Key: public}, nil
}

// reached returns by which addresses listeners are found: at hosts, or as they say, or by what this machine is called.
func reached(addresses, hosts []string) (all []string) {
	for _, address := range addresses {
		host, port, _ := net.SplitHostPort(address)
		names := hosts
		if ip := net.ParseIP(host); len(names) == 0 && (host == "" || ip != nil && ip.IsUnspecified()) {
			names = called()
		}
		if len(names) == 0 {
			names = []string{host}
		}
		for _, name := range names {
			all = append(all, net.JoinHostPort(name, port))
		}
	}
	return all
}

// called returns what others call this machine.
func called() (names []string) {
	if name, err := os.Hostname(); err == nil {
		names = append(names, name)
	}
	addresses, _ := net.InterfaceAddrs()
	for _, a := range addresses {
		if ip, is := a.(*net.IPNet); is && ip.IP.IsGlobalUnicast() {
			names = append(names, ip.IP.String())
		}
	}
	return names
}

package wire

import (
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"regexp"
	"strings"

	"github.com/nats-io/nkeys"
)

// A Token is what lets a machine be a node of a house. Whoever has it is that node.
type Token struct {
	Name        string   `json:"name"`
	Messages    []string `json:"messages"`    // addresses of the house for messages, HOST:PORT
	Bytes       []string `json:"bytes"`       // and for bytes
	Certificate string   `json:"certificate"` // its fingerprint, the SHA-256 in hexadecimal digits
	Key         string   `json:"key"`         // the node's own, an nkey seed
	// Cluster says that messages go by servers that others run, and Authority has the certificates, PEM, that vouch for
	// them; "" for those that the node's machine trusts.
	Cluster   bool   `json:"cluster,omitempty"`
	Authority string `json:"authority,omitempty"`
}

// tokenMark is what the text of a token begins with; the number is that of its form.
const tokenMark = "reelhouse-node-1."

// mostToken is how long the text of a token may be, in bytes.
const mostToken = 16 << 10

// String returns the token as one word.
func (t Token) String() string {
	text, _ := json.Marshal(t) // which is plain values
	return tokenMark + base64.RawURLEncoding.EncodeToString(text)
}

// ParseToken reads what String returns. Space around it does not count.
func ParseToken(text string) (t Token, err error) {
	rest, marked := strings.CutPrefix(strings.TrimSpace(text), tokenMark)
	if !marked || len(rest) > mostToken {
		return t, errors.New("it is no token of a node, which is one word that begins with " +
			strings.TrimSuffix(tokenMark, "."))
	}
	data, err := base64.RawURLEncoding.DecodeString(rest)
	if err == nil {
		err = json.Unmarshal(data, &t)
	}
	if err == nil {
		err = t.check()
	}
	if err != nil {
		return Token{}, fmt.Errorf("the token is damaged, or cut short: %w", err)
	}
	return t, nil
}

func (t Token) check() error {
	if err := CheckName(t.Name); err != nil {
		return err
	}
	if len(t.Messages) == 0 || len(t.Bytes) == 0 {
		return errors.New("it names no address of the house")
	}
	for _, address := range append(append([]string(nil), t.Messages...), t.Bytes...) {
		if _, _, err := net.SplitHostPort(address); err != nil {
			return err
		}
	}
	if sum, err := hex.DecodeString(t.Certificate); err != nil || len(sum) != sha256.Size {
		return errors.New("the fingerprint of the house's certificate is none")
	}
	if _, err := t.Public(); err != nil {
		return fmt.Errorf("its key: %w", err)
	}
	_, err := t.MessagesTLS()
	return err
}

// MessagesTLS returns how a node connects to send messages.
func (t Token) MessagesTLS() (*tls.Config, error) {
	if !t.Cluster {
		return t.TLS(), nil
	}
	return Believes(t.Authority)
}

// Believes returns how servers are believed for which certificates vouch, given as PEM; "" for those that this machine
// trusts.
func Believes(authority string) (*tls.Config, error) {
	secured := &tls.Config{MinVersion: tls.VersionTLS13}
	if authority != "" {
		secured.RootCAs = x509.NewCertPool()
		if !secured.RootCAs.AppendCertsFromPEM([]byte(authority)) {
			return nil, errors.New("among what is to vouch for the servers of messages there is no certificate")
		}
	}
	return secured, nil
}

// Public returns the public half of the node's key.
func (t Token) Public() (string, error) {
	pair, err := nkeys.FromSeed([]byte(t.Key))
	if err != nil {
		return "", err
	}
	defer pair.Wipe()
	key, err := pair.PublicKey()
	if err == nil && !nkeys.IsValidPublicUserKey(key) {
		err = errors.New("it is the key of something else than a node")
	}
	return key, err
}

// TLS returns how a node connects: it believes whoever has the certificate that its token tells of, and nobody else.
func (t Token) TLS() *tls.Config {
	return &tls.Config{
		MinVersion:         tls.VersionTLS13,
		InsecureSkipVerify: true, // no authority vouches for it; the fingerprint does
		VerifyConnection: func(s tls.ConnectionState) error {
			if len(s.PeerCertificates) == 0 || FingerprintOf(s.PeerCertificates[0].Raw) != t.Certificate {
				return errors.New("who answers there is another house than the one that the token is of")
			}
			return nil
		},
	}
}

// FingerprintOf returns the fingerprint of a certificate.
func FingerprintOf(certificate []byte) string {
	sum := sha256.Sum256(certificate)
	return hex.EncodeToString(sum[:])
}

var nodeName = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9_-]{0,39}$`)

// CheckName says what is wrong with the name of a node, which stands in subjects.
func CheckName(name string) error {
	if !nodeName.MatchString(name) {
		return fmt.Errorf("%q is no name of a node: 1 to 40 letters, digits, - and _ are possible, a letter or digit "+
			"first", name)
	}
	return nil
}

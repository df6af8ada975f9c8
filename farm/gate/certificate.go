package gate

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"io/fs"
	"math/big"
	"os"
	"path/filepath"
	"time"

	"reelhouse/farm/wire"
)

// certificateFor is how long a certificate of the house holds. It is believed for its fingerprint, not for its time:
// nodes may have wrong clocks.
const certificateFor = 100 * 365 * 24 * time.Hour

// Certificate returns the certificate of a house with its fingerprint. It is made at the first start, and kept in a
// folder that nobody else can read.
func Certificate(folder string) (c tls.Certificate, fingerprint string, err error) {
	path := filepath.Join(folder, "certificate.pem")
	text, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		text, err = makeCertificate(path)
	}
	if err != nil {
		return c, "", err
	}
	if c, err = tls.X509KeyPair(text, text); err != nil {
		return c, "", fmt.Errorf("%s: %w", path, err)
	}
	return c, wire.FingerprintOf(c.Certificate[0]), nil
}

func makeCertificate(path string) ([]byte, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	number, err := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120))
	if err != nil {
		return nil, err
	}
	now := time.Now()
	of := x509.Certificate{
		SerialNumber: number, Subject: pkix.Name{CommonName: "Reelhouse"}, DNSNames: []string{"reelhouse"},
		NotBefore: now.Add(-24 * time.Hour), NotAfter: now.Add(certificateFor),
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
	}
	made, err := x509.CreateCertificate(rand.Reader, &of, &of, key.Public(), key)
	if err != nil {
		return nil, err
	}
	private, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return nil, err
	}
	text := append(
		pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: made}),
		pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: private})...,
	)
	if err := writeOnce(path, text); err != nil {
		return nil, err
	}
	return os.ReadFile(path)
}

// writeOnce writes a file that nobody else can read, unless it is there already: it is linked, so that of two processes
// that make one at the same time the first wins.
func writeOnce(path string, text []byte) error {
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return err
	}
	temp, err := os.CreateTemp(filepath.Dir(path), ".made-*")
	if err != nil {
		return err
	}
	defer os.Remove(temp.Name())
	_, err = temp.Write(text)
	if err := errors.Join(err, temp.Sync(), temp.Close()); err != nil {
		return err
	}
	if err := os.Link(temp.Name(), path); err != nil && !errors.Is(err, fs.ErrExist) {
		return err
	}
	return nil
}

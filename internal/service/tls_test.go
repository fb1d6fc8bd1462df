package service

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"testing"
	"time"
)

// writeCertificate puts a certificate of a name, and its key, into a folder.
func writeCertificate(t *testing.T, dir, name string, until time.Time) (cert, key string) {
	t.Helper()
	own, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	of := &x509.Certificate{
		SerialNumber: big.NewInt(time.Now().UnixNano()), Subject: pkix.Name{CommonName: name}, DNSNames: []string{"localhost"}, IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: until, IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageDigitalSignature | x509.KeyUsageCertSign,
	}
	der, err := x509.CreateCertificate(rand.Reader, of, of, &own.PublicKey, own)
	if err != nil {
		t.Fatal(err)
	}
	keyDER, err := x509.MarshalECPrivateKey(own)
	if err != nil {
		t.Fatal(err)
	}
	cert, key = filepath.Join(dir, "cert.pem"), filepath.Join(dir, "key.pem")
	err = errors.Join(os.WriteFile(cert, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), 0o600),
		os.WriteFile(key, pem.EncodeToMemory(&pem.Block{Type: "EC PRIVATE KEY", Bytes: keyDER}), 0o600))
	if err != nil {
		t.Fatal(err)
	}
	return cert, key
}

// A certificate whose files change is shown as it is now; while they do not hold together, the
// one before stays.
func TestACertificateThatChanges(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	cert, key := writeCertificate(t, dir, "first", time.Now().Add(time.Hour))
	var said []error
	c, err := readCertificate(cert, key, func(err error) { said = append(said, err) })
	if err != nil {
		t.Fatal(err)
	}
	c.every = 0
	shown := func() string {
		t.Helper()
		now, err := c.get(nil)
		if err != nil {
			t.Fatal(err)
		}
		leaf, err := x509.ParseCertificate(now.Certificate[0])
		if err != nil {
			t.Fatal(err)
		}
		return leaf.Subject.CommonName
	}
	if got := shown(); got != "first" {
		t.Errorf("it shows %s", got)
	}
	writeCertificate(t, dir, "the second", time.Now().Add(time.Hour))
	if got := shown(); got != "the second" {
		t.Errorf("after a change it shows %s", got)
	}
	if err := os.WriteFile(key, []byte("half of a k"), 0o600); err != nil {
		t.Fatal(err)
	}
	if got := shown(); got != "the second" || len(said) != 1 {
		t.Errorf("with half a key it shows %s, and says %v", got, said)
	}
	if err := os.Remove(cert); err != nil {
		t.Fatal(err)
	}
	if got := shown(); got != "the second" {
		t.Errorf("without a file it shows %s", got)
	}
	for what, files := range map[string][2]string{"no key": {key, ""}, "no such file": {cert, key}, "no certificate": {key, key}} {
		if _, err := readCertificate(files[0], files[1], nil); err == nil {
			t.Errorf("%s is taken", what)
		}
	}
}

// What speaks TLS speaks 1.2 at least.
func TestTLSIsOfToday(t *testing.T) {
	t.Parallel()
	cert, key := writeCertificate(t, t.TempDir(), "first", time.Now().Add(time.Hour))
	c, err := readCertificate(cert, key, nil)
	if err != nil {
		t.Fatal(err)
	}
	plain, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	l := c.over(plain)
	defer l.Close()
	go func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			_ = conn.(*tls.Conn).Handshake() // the other side looks at it
			conn.Close()
		}
	}()
	for version, want := range map[uint16]bool{tls.VersionTLS11: false, tls.VersionTLS12: true, tls.VersionTLS13: true} {
		conn, err := tls.Dial("tcp", l.Addr().String(), &tls.Config{InsecureSkipVerify: true, MinVersion: version, MaxVersion: version})
		if (err == nil) != want {
			t.Errorf("TLS %x: %v", version, err)
		}
		if err == nil {
			conn.Close()
		}
	}
}

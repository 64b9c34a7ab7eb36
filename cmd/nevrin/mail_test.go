package main

import (
	"bytes"
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"io"
	"math/big"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/standin"
	"nevrin/testkit"
)

// certified makes a certificate for localhost that signs itself, and keeps it in a file as programs read it.
func certified(t *testing.T) (of tls.Certificate, file string) {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	says := &x509.Certificate{
		SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "localhost"}, DNSNames: []string{"localhost"},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour), IsCA: true, BasicConstraintsValid: true,
	}
	raw, err := x509.CreateCertificate(rand.Reader, says, says, &key.PublicKey, key)
	require.NoError(t, err)
	file = filepath.Join(t.TempDir(), "localhost.pem")
	require.NoError(t, os.WriteFile(file, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: raw}), 0o600))
	return tls.Certificate{Certificate: [][]byte{raw}, PrivateKey: key}, file
}

// Email goes to a server that wants to know who sends, over a line that is encrypted with STARTTLS or from its beginning. With a wrong
// password, or a certificate that nobody vouches for, it does not go, and what stood in the way is said without the password.
func TestMailOverAnEncryptedLine(t *testing.T) {
	certificate, file := certified(t)
	folder := t.TempDir()
	ports := map[string]int{}
	for _, scheme := range []string{"smtp", "smtps"} {
		box, err := standin.NewMail(folder)
		require.NoError(t, err)
		config := box.Guard(certificate, "library", "p/q secret")
		line, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		ports[scheme] = line.Addr().(*net.TCPAddr).Port
		if scheme == "smtps" {
			line = tls.NewListener(line, config)
		}
		page, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		ctx, cancel := context.WithCancel(context.Background())
		t.Cleanup(cancel)
		go box.Serve(ctx, line, page)
	}

	w := testkit.NewWorld(t)
	w.Set(`UPDATE network SET version = version + 1, settings = settings || '{"mail": {"sender": "notices@library.example", "reply": ""}}'`)
	r := serving(t, w, "serve")
	add := exec.Command(os.Args[0], "administrator", "add", "ada", "--name", "Ada", "--branch", "HVH")
	add.Env = append(r.env, "NEVRIN_PASSWORD=a long password")
	said, err := add.CombinedOutput()
	require.NoError(t, err, string(said))
	env := append(r.env, "NEVRIN_TLS=0")
	post := func(path, body string) (int, string) {
		request, err := http.NewRequest(http.MethodPost, r.base+path, bytes.NewBufferString(body))
		require.NoError(t, err)
		request.Header.Set("Content-Type", "application/json")
		answer, err := r.http.Do(request)
		require.NoError(t, err)
		text, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		require.NoError(t, answer.Body.Close())
		return answer.StatusCode, string(text)
	}
	for k, try := range []struct{ scheme, password, trusts, says string }{
		{"smtp", "p%2Fq%20secret", file, ""},
		{"smtps", "p%2Fq%20secret", file, ""},
		{"smtp", "wrong-secret", file, "535"},
		{"smtps", "p%2Fq%20secret", "/dev/null", "certificate"},
	} {
		r.kill()
		r.env = append(append([]string{}, env...), "SSL_CERT_FILE="+try.trusts, "SSL_CERT_DIR=/nowhere",
			fmt.Sprintf("NEVRIN_SMTP=%s://library:%s@localhost:%d", try.scheme, try.password, ports[try.scheme]))
		r.start()
		status, text := post("/api/sign-in", `{"login": "ada", "password": "a long password"}`)
		require.Less(t, status, 300, text)
		status, text = post("/api/mail/test", fmt.Sprintf(`{"to": "reader%d@post.invalid"}`, k))
		kept, err := filepath.Glob(filepath.Join(folder, "*.eml"))
		require.NoError(t, err)
		if try.says == "" {
			assert.Equal(t, http.StatusOK, status, text)
			assert.Len(t, kept, k+1)
			continue
		}
		assert.Equal(t, http.StatusConflict, status, text)
		assert.Contains(t, text, "Not sent: ")
		assert.Contains(t, text, try.says)
		assert.NotContains(t, text, "secret")
		assert.Len(t, kept, 2)
	}
}

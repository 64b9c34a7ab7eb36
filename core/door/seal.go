package door

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"

	"nevrin/core/expect"
)

// Keys seal what must not be read in the database or a backup of it, such as the secrets of second factors. The first key seals;
// the others open what was sealed before it took their place.
type Keys struct{ keys []key }

type key struct {
	name string // a part of its digest, by which what it sealed names it
	aead cipher.AEAD
}

// keySize is how many bytes a key has: AES-256 in Galois/Counter Mode (NIST SP 800-38D).
const keySize = 32

// NewKey makes a key, as it is written.
func NewKey() string {
	data := make([]byte, keySize)
	_, _ = rand.Read(data) // never fails
	return base64.StdEncoding.EncodeToString(data)
}

// ParseKeys reads keys as NewKey writes them, separated by commas, the newest first. An empty text has none.
func ParseKeys(text string) (Keys, error) {
	var out Keys
	for part := range strings.FieldsFuncSeq(text, func(r rune) bool { return r == ',' || r == ' ' }) {
		data, err := base64.StdEncoding.DecodeString(part)
		if err != nil || len(data) != keySize {
			return Keys{}, expect.Errorf("32 bytes in base64, as 'nevrin key' prints them", "a key of another form")
		}
		block, err := aes.NewCipher(data)
		if err != nil {
			return Keys{}, err
		}
		aead, err := cipher.NewGCM(block)
		if err != nil {
			return Keys{}, err
		}
		sum := sha256.Sum256(data)
		out.keys = append(out.keys, key{hex.EncodeToString(sum[:4]), aead})
	}
	return out, nil
}

// None tells whether there is no key.
func (k Keys) None() bool { return len(k.keys) == 0 }

// sealedMark begins every sealed text: mark.key.data.
const sealedMark = "sealed"

// ErrNoKey says that something cannot be opened, since the key with which it was sealed is not there.
var ErrNoKey = errors.New("the key with which this was sealed is not among those given")

// Seal seals a text. What it is about goes into the seal: what was sealed about one thing does not open about another.
func (k Keys) Seal(text, about string) (string, error) {
	if k.None() {
		return "", ErrNoKey
	}
	first := k.keys[0]
	nonce := make([]byte, first.aead.NonceSize())
	_, _ = rand.Read(nonce) // never fails
	data := first.aead.Seal(nonce, nonce, []byte(text), []byte(about))
	return strings.Join([]string{sealedMark, first.name, base64.StdEncoding.EncodeToString(data)}, "."), nil
}

// Open opens what Seal has sealed about the same thing; ErrNoKey where its key is not there.
func (k Keys) Open(sealed, about string) (string, error) {
	name, encoded, err := partsOf(sealed)
	if err != nil {
		return "", err
	}
	for _, one := range k.keys {
		if one.name != name {
			continue
		}
		data, err := base64.StdEncoding.DecodeString(encoded)
		if err != nil || len(data) < one.aead.NonceSize() {
			return "", errors.New("what was sealed is not whole")
		}
		size := one.aead.NonceSize()
		text, err := one.aead.Open(nil, data[:size], data[size:], []byte(about))
		if err != nil {
			return "", errors.New("what was sealed has been changed, or is about something else")
		}
		return string(text), nil
	}
	return "", fmt.Errorf("%w (its name is %s)", ErrNoKey, name)
}

// IsSealed tells whether a text was sealed, with whatever key.
func IsSealed(text string) bool { return strings.HasPrefix(text, sealedMark+".") }

// Current tells whether a text was sealed with the first key, so that it need not be sealed anew.
func (k Keys) Current(sealed string) bool {
	name, _, err := partsOf(sealed)
	return err == nil && !k.None() && k.keys[0].name == name
}

func partsOf(sealed string) (name, data string, err error) {
	parts := strings.Split(sealed, ".")
	if len(parts) != 3 || parts[0] != sealedMark {
		return "", "", errors.New("this was not sealed")
	}
	return parts[1], parts[2], nil
}

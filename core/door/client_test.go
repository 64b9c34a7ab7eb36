package door_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/core/door"
)

// Addresses for documentation: RFC 5737 and RFC 3849.
func TestClients(t *testing.T) {
	for address, want := range map[string][3]string{
		"192.0.2.7":                        {"192.0.2.7", "", "192.0.2.0/24"},
		"::ffff:192.0.2.7":                 {"192.0.2.7", "", "192.0.2.0/24"},
		"2001:db8:1:2::5":                  {"2001:db8:1:2::/64", "2001:db8:1::/48", "2001:db8:1:2::/64"},
		"2001:db8:1:2:ffff:ffff:ffff:ffff": {"2001:db8:1:2::/64", "2001:db8:1::/48", "2001:db8:1:2::/64"},
		"2001:db8:1:3::5":                  {"2001:db8:1:3::/64", "2001:db8:1::/48", "2001:db8:1:3::/64"},
		"fe80::1%eth0":                     {"fe80::/64", "fe80::/48", "fe80::/64"},
		"@":                                {"@", "", "@"},
	} {
		assert.Equal(t, want, [3]string{door.Client(address), door.Range(address), door.Near(address)}, address)
	}
}

func keys(t require.TestingT, text ...string) door.Keys {
	k, err := door.ParseKeys(strings.Join(text, ","))
	require.NoError(t, err)
	return k
}

// What was sealed is opened by the key that sealed it, about the same thing, and by nothing else.
func TestSeals(t *testing.T) {
	old, fresh := door.NewKey(), door.NewKey()
	rapid.Check(t, func(t *rapid.T) {
		text, about := rapid.String().Draw(t, "text"), rapid.String().Draw(t, "about")
		sealed, err := keys(t, old).Seal(text, about)
		require.NoError(t, err)
		assert.True(t, door.IsSealed(sealed))
		for _, k := range []door.Keys{keys(t, old), keys(t, fresh, old)} {
			back, err := k.Open(sealed, about)
			require.NoError(t, err)
			assert.Equal(t, text, back)
		}
		assert.True(t, keys(t, old).Current(sealed))
		assert.False(t, keys(t, fresh, old).Current(sealed), "it is to be sealed anew with the new key")
		_, err = keys(t, fresh).Open(sealed, about)
		assert.ErrorIs(t, err, door.ErrNoKey)
		_, err = keys(t, old).Open(sealed, about+"x")
		assert.ErrorContains(t, err, "about something else")
		_, err = keys(t, old).Open(sealed[:len(sealed)-8]+"AAAAAAA=", about)
		assert.Error(t, err)
	})
}

func TestKeysThatAreNone(t *testing.T) {
	for _, text := range []string{"x", "AAAA", door.NewKey() + ",x"} {
		_, err := door.ParseKeys(text)
		assert.ErrorContains(t, err, "32 bytes in base64")
	}
	assert.True(t, keys(t, "").None())
	_, err := keys(t, "").Seal("x", "")
	assert.ErrorIs(t, err, door.ErrNoKey)
	_, err = keys(t, door.NewKey()).Open("ABCDEF", "")
	assert.ErrorContains(t, err, "not sealed")
}

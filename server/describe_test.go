package server_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/server"
)

// The description that the front end's types are made from is the one that the server gives.
func TestDescriptionIsCurrent(t *testing.T) {
	kept, err := os.ReadFile("openapi.json")
	require.NoError(t, err)
	now, err := server.OpenAPI()
	require.NoError(t, err)
	assert.JSONEq(t, string(now), string(kept), "run 'make types'")
}

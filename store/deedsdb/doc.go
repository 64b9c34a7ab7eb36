// Package deedsdb keeps what was done to many patrons or items at once, so that it can be seen and undone.
//
// A deed has its own form by area: app/rosters and app/stock write and read what theirs did. Begin to read with Deed.
package deedsdb

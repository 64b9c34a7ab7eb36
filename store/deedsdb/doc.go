// Package deedsdb keeps changes of many patrons or items at once, so that they can be seen and undone.
//
// A deed has its own form by area: app/rosters and app/stock write and read what theirs did. Begin to read with Deed.
package deedsdb

// Package stockdb keeps titles and their items, searches them, changes many of them at once, and keeps inventories
// and the search for missing items.
//
// Where an item is right now stands in the table whereabouts, which triggers keep from loans, transits and holds;
// FreeItem is the condition that it stands free on its shelf. Begin to read with Item and Title.
package stockdb

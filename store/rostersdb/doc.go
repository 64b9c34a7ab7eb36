// Package rostersdb keeps rosters, such as school classes and reading groups, who is in them, and changes made to
// all of their members at once, which can be undone.
//
// Members are patrons (peopledb). Begin to read with Roster.
package rostersdb

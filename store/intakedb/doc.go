// Package intakedb keeps files that are moved in, line by line, from their arrival to being taken in or undone.
//
// A file of any size is settled and taken in by statements over whole stretches of lines, never a line at a time.
// What a line means is read in app/intake; here it is data. Begin to read with Intake and TakeLines.
package intakedb

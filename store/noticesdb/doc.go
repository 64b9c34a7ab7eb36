// Package noticesdb stores notices to patrons, the runs that nightly notices belong to, and the messages that carry them.
//
// A notice is about one loan, hold or patron and is stored once, so that nobody gets it twice. A message carries one or more notices to one
// person by one channel. Which notices are due is decided in app/notices and core/plan; one copy of the program at a time sends a message.
// Begin to read with Notice and Message.
package noticesdb

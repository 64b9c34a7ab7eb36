// Package noticesdb keeps what patrons are told: each notice by itself, the runs in which those of a night stand, and the messages in
// which they go out.
//
// A notice is of one loan, hold or patron and stands once, so that nobody is told twice; a message tells one person of one or more by one
// way. Which notice is due is worked out in app/notices with core/plan; sending is claimed by one copy of the program at a time. Begin to
// read with Notice and Message.
package noticesdb

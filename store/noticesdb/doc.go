// Package noticesdb keeps messages to patrons and the mailings they go out in.
//
// What has been told stands beside each loan and hold, so that nobody is told twice. Which notice is due is worked
// out in app/notices; sending is claimed by one copy of the program at a time. Begin to read with Message and
// Mailing.
package noticesdb

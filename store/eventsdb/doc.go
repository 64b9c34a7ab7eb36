// Package eventsdb writes down what happened, and reads it back as the history of a patron or an item.
//
// Events are only added. Forgetting a patron's history cuts the link to the person and leaves the event (keepingdb).
// Begin to read with Event.
package eventsdb

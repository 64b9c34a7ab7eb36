package main

import (
	"bufio"
	"fmt"
	"net"
	"strings"
)

// take speaks as much SMTP as is needed to be handed emails.
func take(c net.Conn) {
	defer func() { _ = c.Close() }()
	in := bufio.NewReaderSize(c, 64<<10)
	say := func(text string) { _, _ = fmt.Fprintf(c, "%s\r\n", text) }
	say("220 sink")
	for {
		line, err := in.ReadString('\n')
		if err != nil {
			return
		}
		switch verb, _, _ := strings.Cut(strings.ToUpper(strings.TrimSpace(line)), " "); verb {
		case "DATA":
			say("354 go on")
			for {
				text, err := in.ReadString('\n')
				if err != nil {
					return
				}
				if strings.TrimRight(text, "\r\n") == "." {
					break
				}
			}
			say("250 ok")
		case "QUIT":
			say("221 bye")
			return
		default:
			say("250 ok")
		}
	}
}

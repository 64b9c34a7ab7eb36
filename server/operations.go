package server

func (s *Server) operations() {
	s.houseOperations()
	s.ruleOperations()
	s.calendarOperations()
	s.deskOperations()
	s.returnOperations()
	s.runOperations()
	s.stockOperations()
	s.titleOperations()
	s.intakeOperations()
	s.itemOperations()
	s.shelfOperations()
	s.holdOperations()
	s.noticeOperations()
	s.sweepOperations()
	s.interlibraryOperations()
	s.doorOperations()
	s.networkOperations()
	s.peopleOperations()
	s.rosterOperations()
	s.mergeOperations()
	s.loanOperations()
	s.signUpOperations()
}

// testMail is to whom a test is sent.
type testMail struct {
	Body struct {
		To string `json:"to" maxLength:"200" doc:"An email address"`
	}
}

package server

import "github.com/go-chi/chi/v5"

// Router gives tests all routes.
func (s *Server) Router() chi.Router { return s.router }

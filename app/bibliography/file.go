package bibliography

import (
	"bytes"
	"errors"
	"io"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/formats/marc"
)

// FromFile gives the records of a file.
type FromFile struct {
	Proposals []Proposal `json:"proposals"`
	Odd       []string   `json:"odd" doc:"Which records cannot be read or taken, and why"`
	Remarks   []string   `json:"remarks" doc:"What was not right in records that could be read anyway"`
	More      bool       `json:"more" doc:"The file has more records than are shown; a whole library moves in otherwise"`
}

// fileMost is how many records of a file are proposed.
const fileMost = 100

// ReadFile reads the records of a MARC file, to be looked at and added one by one.
func ReadFile(a *act.Act, data []byte) (*FromFile, error) {
	from, err := marc.Open(bytes.NewReader(data))
	if err != nil {
		return nil, problem.Newf(problem.Invalid, "This file cannot be read: %s.", err)
	}
	q := &Question{}
	if err := q.know(a); err != nil {
		return nil, err
	}
	out := &FromFile{Proposals: []Proposal{}, Odd: []string{}, Remarks: []string{}}
	for len(out.Proposals)+len(out.Odd) < fileMost {
		m, err := from.Next()
		var one *marc.Problem
		switch {
		case errors.Is(err, io.EOF):
			return out, nil
		case errors.As(err, &one):
			out.Odd = append(out.Odd, one.Error())
			continue
		case err != nil:
			out.Odd = append(out.Odd, err.Error())
			return out, nil
		}
		if m.Remark != "" {
			out.Remarks = append(out.Remarks, "record "+orUnnumbered(m.Value("001"))+": "+m.Remark)
		}
		out.add(q, m)
	}
	out.More = true
	return out, nil
}

func (f *FromFile) add(q *Question, m *marc.Record) {
	p := q.propose(m)
	p.Another, p.Source = false, ""
	if p.Name == "" {
		f.Odd = append(f.Odd, "record "+orUnnumbered(m.Value("001"))+": it has no title (field 245)")
		return
	}
	f.Proposals = append(f.Proposals, p)
}

func orUnnumbered(number string) string {
	if number == "" {
		return "without a number"
	}
	return number
}

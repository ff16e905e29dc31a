package catalog

import "rubricon/core/condition"

// bind copies a condition with the indexes of the courses it names, giving an index to codes outside the
// catalog too, and with the numbers of the marks it names; unknown is told of a mark that the policy lacks.
func (y *Year) bind(c *condition.Condition, unknown func(mark string)) *condition.Condition {
	if c == nil {
		return nil
	}
	bound := *c
	if c.Op == condition.Single {
		if c.Leaf.Kind == condition.Passed || c.Leaf.Kind == condition.Alongside {
			i, ok := y.index[c.Leaf.Name]
			if !ok {
				i = int32(len(y.Codes))
				y.Codes = append(y.Codes, c.Leaf.Name)
				y.index[c.Leaf.Name] = i
			}
			bound.Leaf.Ref = i
		}
		if name := c.Leaf.Mark; name != "" {
			number, ok := y.Policy.Marks[name]
			if !ok {
				unknown(name)
			}
			bound.Leaf.At = number
		}
		return &bound
	}
	bound.Parts = make([]*condition.Condition, len(c.Parts))
	for i, part := range c.Parts {
		bound.Parts[i] = y.bind(part, unknown)
	}
	return &bound
}

// BindError says why a condition cannot stand for itself in a year.
type BindError struct {
	Leaf *condition.Leaf // a mark that the policy lacks, or one about “this course” where there is none
}

func (e *BindError) Error() string {
	if e.Leaf.Kind == condition.Recommended {
		return "“recommended” says nothing where no course is chosen"
	}
	return "“" + e.Leaf.Mark + "” is not a mark of the policy"
}

// Bind copies a condition that stands for itself, with the indexes of the courses it names, -1 for one that
// the year knows nothing of, and the numbers of marks. Without a subject none of it is about “this
// course”. The error is a *BindError.
func (y *Year) Bind(c *condition.Condition, subject bool) (*condition.Condition, error) {
	bound := *c
	if c.Op == condition.Single {
		l := &bound.Leaf
		switch l.Kind {
		case condition.Passed, condition.Alongside:
			i, ok := y.index[l.Name]
			if l.Ref = i; !ok {
				l.Ref = -1
			}
		case condition.Recommended:
			if !subject {
				return nil, &BindError{l}
			}
		}
		if l.Mark != "" {
			number, ok := y.Policy.Marks[l.Mark]
			if l.At = number; !ok {
				return nil, &BindError{l}
			}
		}
		return &bound, nil
	}
	bound.Parts = make([]*condition.Condition, len(c.Parts))
	for i, part := range c.Parts {
		var err error
		if bound.Parts[i], err = y.Bind(part, subject); err != nil {
			return nil, err
		}
	}
	return &bound, nil
}

package testkit

// OpensOn holds where a branch b opens on a day d by its calendar as it is stored, worked out by PostgreSQL alone.
const OpensOn = `CASE
	WHEN EXISTS (SELECT 1 FROM jsonb_array_elements(b.openings) o WHERE (o->>'date')::date = d::date)
		THEN EXISTS (SELECT 1 FROM jsonb_array_elements(b.openings) o WHERE (o->>'date')::date = d::date AND jsonb_array_length(o->'hours') > 0)
	WHEN EXISTS (SELECT 1 FROM jsonb_array_elements(b.closures) x WHERE d::date BETWEEN (x->>'from')::date AND coalesce(x->>'to', x->>'from')::date) THEN false
	ELSE jsonb_array_length(coalesce(b.hours->to_char(d, 'dy'), '[]')) > 0 END`

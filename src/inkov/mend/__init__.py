"""What to change so that something holds: edits that could do it, tried on the whole campus.

`links` finds the edits by which one link passes one VLAN, `ways` the cheapest way for a VLAN from
here to there, `tickets` what keeps two places apart, `trial` what a change does besides, and
`findings` mends what an audit finds, and `claims` makes claims true that something arrives.
"""

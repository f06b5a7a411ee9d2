"""What follows from a policy: shares, effects of an edit, who gains and loses, what changed."""

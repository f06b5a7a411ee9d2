"""Ways in: tokens, sessions, second factors, sign-in rules, and what everybody keeps of their own account."""

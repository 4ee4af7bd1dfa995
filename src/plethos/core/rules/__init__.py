"""Rules: triggers give values, remedies use them, and a program works both out once a pose."""

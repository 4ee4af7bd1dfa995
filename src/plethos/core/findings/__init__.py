"""What is wrong with a rule, in one sentence, and the click that mends it."""

"""Events, shots and knockback volumes: what changes a speed within one tick."""

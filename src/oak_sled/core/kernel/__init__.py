"""What happens in a tick: records, spatial algebra, the tick, the loop."""

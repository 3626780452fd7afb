"""Effects: what differs between two fabrics in who hears and who reaches whom, exactly."""

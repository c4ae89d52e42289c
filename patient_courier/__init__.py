"""Patient Courier: posts the right letter to each student of an online course at the right moment."""

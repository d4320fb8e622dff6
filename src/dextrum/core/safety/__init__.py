"""What may hurt a person or burn a board: signs of danger, what each step needs, gates that hold, cautions."""

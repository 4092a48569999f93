"""Steps as rigid motions of one parameter, and the Score that canvas, film and checks all read."""

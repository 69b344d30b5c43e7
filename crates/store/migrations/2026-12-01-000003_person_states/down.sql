drop table person_states;

-- Rules that ship with the product have plainer names; people's settings of them are kept.
UPDATE OR IGNORE rule SET name = 'Host memory' WHERE name = 'Memory of hosts';
UPDATE OR IGNORE rule SET name = 'Host CPU' WHERE name = 'Processor of hosts';
UPDATE OR IGNORE rule SET name = 'Host disks' WHERE name = 'Disks of hosts';
UPDATE OR IGNORE rule SET name = 'Hosts not responding' WHERE name = 'Hosts that do not answer';
UPDATE OR IGNORE rule SET name = 'Network devices not responding' WHERE name = 'Network devices that do not answer';
UPDATE OR IGNORE rule SET name = 'Network device CPU' WHERE name = 'Processor of network devices';
UPDATE OR IGNORE rule SET name = 'Container memory' WHERE name = 'Memory of containers';
UPDATE OR IGNORE rule SET name = 'Container CPU throttling' WHERE name = 'Containers held back by their quota';
UPDATE OR IGNORE rule SET name = 'Hypervisor memory overcommitment' WHERE name = 'Memory allotted on hypervisors';
UPDATE OR IGNORE rule SET name = 'Hypervisor CPU overcommitment' WHERE name = 'Processors allotted on hypervisors';
